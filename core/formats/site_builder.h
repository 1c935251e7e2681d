#pragma once
#include "base/text.h"
#include "formats/gnss_data.h"
#include <functional>

namespace ampletie::rinex {

/// Collects the sites of an observation file while its text is read: one header in force, types per system that may
/// grow, and a new site whenever header or events say so. Used by the readers of all versions.
class SiteBuilder {
public:
  double version = 0;
  /// Header in force. Set by `header_line`.
  ObservationFile facts;
  /// RINEX 2: one list for all systems, as the header writes it.
  std::vector<std::string> types2;
  char default_system = 'G';

  /// Takes one header line. `inside` is true for lines of an event record. Returns true at the end of the header.
  bool header_line(std::string_view line, long at, bool inside);
  /// A header (or the header lines of an event) is complete: decides whether another site starts.
  void header_complete(long at, bool new_site);
  void start_moving();

  struct Columns {
    std::vector<std::string> codes; ///< as this header lists them
    std::vector<int> to;            ///< index in the site's list
    std::vector<double> scale;      ///< factor to divide by
    bool plain = true;              ///< identity and no factors
    std::size_t width = 0;          ///< the site's number of types
  };
  /// Null when the header lists no types for a system.
  const Columns *columns(char system);

  /// Starts an epoch; false when it is to be stepped over (a repetition inside a spliced file).
  bool begin_epoch(GpsTime t, int flag, long at);
  void end_epoch();
  ObservationFile &site() { return sites_.back(); }
  /// Offset to add to a written time, s, for an instant near `t`.
  GpsTime to_gps(GpsTime t) const;
  std::vector<ObservationFile> finish(long at);
  void spliced() { spliced_ = true; }
  /// The text ended inside an epoch, or in what should begin one: whatever of it was taken is taken off again.
  void cut_off(const std::string &why);
  bool open_end = false; ///< the last line has no line end: it may be cut off itself
  /// Hands a site's epochs out, so many at a time, and forgets them; gets the site's place among all.
  std::function<void(std::size_t, const ObservationFile &)> block;
  std::size_t block_epochs = 0;
  bool more_follows = false; ///< the text that is read is not its last piece

private:
  void type_line(std::string_view name, std::string_view line, long at);
  void scale_line(std::string_view name, std::string_view line, long at);
  void phase_shift_line(std::string_view line);
  void glonass_line(std::string_view name, std::string_view line, long at);
  void open_site(bool moving);
  std::vector<ObservationFile> sites_;
  std::array<Columns, 128> columns_;
  std::array<bool, 128> known_{};
  std::map<char, std::vector<std::string>> declared_; ///< RINEX 3: by system
  std::map<std::string, double> scale_;               ///< "GL1C" → factor
  char types_of_ = ' ', scale_of_ = ' ', shift_of_ = ' ';
  std::string shift_type_;
  std::size_t types_left_ = 0, scale_left_ = 0;
  double scale_factor_ = 1;
  std::string time_system_;
  void hand_out();
  GpsTime last_{};                                     ///< epoch of the site that was taken last
  std::size_t handed_out_ = 0;                         ///< epochs of the site
  std::size_t records_before_ = 0, values_before_ = 0; ///< the epoch that was begun last
  bool in_epoch_ = false;
  bool site_changed_ = false, types_changed_ = false, spliced_ = false, moving_ = false, any_site_ = false;
};

/// RINEX 3 name of a RINEX 2 type for a system, given all types that the header lists; empty when there is none.
std::string modern_type(char system, std::string_view type, const std::vector<std::string> &all);

/// Fixed-point field of an observation; false when malformed, 0 when blank.
bool fixed_point(const char *p, const char *end, double &out);

/// The bodies after the first header; `in` stands on the first line after it.
void read_body_3(LineReader &in, SiteBuilder &b);
void read_body_2(LineReader &in, SiteBuilder &b);
/// Reads a header from its first line on (`first` has been read already).
void read_header(LineReader &in, std::string_view first, SiteBuilder &b);

} // namespace ampletie::rinex
