#pragma once
#include <optional>
#include <string>
#include <string_view>
#include <vector>

namespace ampletie {

std::string_view trimmed(std::string_view text);
std::string lower(std::string_view text);
std::vector<std::string_view> split(std::string_view text, char delimiter);
bool starts_with_nocase(std::string_view text, std::string_view start);

/// The part `[from, from + length)` of a line, shortened where the line ends early; empty past its end.
std::string_view field(std::string_view line, std::size_t from, std::size_t length);

/// A number in text: leading and trailing blanks allowed, exponent letters E, e, D, d, locale-free, nothing else.
/// Returns nothing for an empty or malformed field and for infinities and NaN.
std::optional<double> parse_number(std::string_view text);
/// The same with a decimal comma or a decimal point, as people type it.
std::optional<double> parse_decimal(std::string_view text);
std::optional<long> parse_integer(std::string_view text);

/// Lines of a text without copying; accepts LF and CRLF. `number()` counts from 1.
class LineReader {
public:
  explicit LineReader(std::string_view text) : text_(text) {}
  bool next(std::string_view &line);
  long number() const { return number_; }
  bool at_end() const { return position_ >= text_.size(); }

private:
  std::string_view text_;
  std::size_t position_ = 0;
  long number_ = 0;
};

/// Content of a file; throws `InputError` when it cannot be read.
std::string read_file(const std::string &path);
/// Writes through a temporary neighbour and a rename, so that a full disk leaves no half file behind.
void write_file(const std::string &path, std::string_view bytes);

bool is_gzip(std::string_view bytes);
/// The LZW form of the old Unix command, as archives of reference stations still use it.
bool is_unix_compressed(std::string_view bytes);
std::string uncompress(std::string_view bytes, std::size_t limit = std::size_t{4} << 30);
/// Inflates gzip (several members allowed); throws `InputError` on damage or above `limit` bytes.
std::string gunzip(std::string_view bytes, std::size_t limit = std::size_t{4} << 30);
std::string gzip(std::string_view bytes);

} // namespace ampletie
