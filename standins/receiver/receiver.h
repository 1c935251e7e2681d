#pragma once
#include "time/gps_time.h"
#include <cstdint>
#include <optional>
#include <string>
#include <vector>

namespace ampletie::receiver {

/// What goes wrong with a receiver in the field.
enum class Mistake {
  none,
  not_logging,    ///< set up, and nobody pressed the button
  wrong_height,   ///< keyed in with exchanged digits, a decimetre off, or a metre short
  wrong_mark,     ///< the name of another mark
  default_name,   ///< nobody keyed in a name: "0001"
  full_memory,    ///< it stops inside an epoch
  battery,        ///< it dies, and goes on with another one after some minutes, in a new file
  still_growing,  ///< copied while it logs
  clock,          ///< hours off, or 1024 weeks back
  other_interval, ///< logs more seldom than the others
};
/// Its name in scenarios: "not-logging".
const char *mistake_name(Mistake m);
const std::vector<Mistake> &all_mistakes();

/// What the crew keys in.
struct KeyedIn {
  std::string mark, antenna, session = "1";
  double height = 0; ///< of the reference point, m
};

/// A receiver on a tripod: it sees what a simulated sky let its antenna see, and logs that as RINEX 3 while time goes
/// on. Whether it does has to be asked. The same for the same seed.
class Receiver {
public:
  /// `seen`: observations of the sky's stand-in (RINEX 3) over the time that it may log. `other_marks`: those whose
  /// names can be mistaken. Throws `InputError` for what is no such file.
  Receiver(const std::string &seen, KeyedIn keyed, Mistake mistake, std::uint64_t seed,
           std::vector<std::string> other_marks = {});
  /// The button: logging begins at that instant, if it does.
  void start(GpsTime now);
  /// Time goes on: everything seen up to then is written.
  void run_until(GpsTime now);
  void stop(GpsTime now);
  /// "logging to PN1-1.rnx since 08:00:00, 124 epochs"; "standing by".
  std::string is_it_logging() const;
  /// Files as they stand: name and bytes. What a copy made now would hold.
  std::vector<std::pair<std::string, std::string>> files() const;
  GpsTime first() const { return epochs_.front().time; }
  GpsTime last() const { return epochs_.back().time; }
  /// What was really keyed in, mistakes included.
  const KeyedIn &keyed() const { return keyed_; }

private:
  struct Epoch {
    GpsTime time;
    std::string text;
  };
  struct File {
    std::string name, bytes;
    std::size_t epochs = 0;
    GpsTime begun;
  };
  void begin_file(GpsTime now);
  void write(const Epoch &e);
  std::string header_, seen_mark_;
  std::vector<Epoch> epochs_;
  KeyedIn keyed_;
  Mistake mistake_;
  double shift_ = 0;                   ///< of its clock, s
  int every_ = 1;                      ///< epochs that it logs one of
  std::optional<GpsTime> dies_, back_; ///< memory or battery
  std::vector<File> files_;
  std::size_t next_ = 0;
  bool pressed_ = false, logging_ = false, cut_ = false;
};

/// Whether a scenario is one for this stand-in; written into a folder, in time that runs `speed` times as fast as that
/// on the wall (0: at once). Form: docs/formats.md. Throws `InputError`.
bool is_receiver_scenario(const std::string &text);
void simulate_to(const std::string &text, const std::string &beside, const std::string &folder);

} // namespace ampletie::receiver
