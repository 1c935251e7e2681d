#pragma once
#include <optional>
#include <string>
#include <string_view>
#include <vector>

namespace ampletie {

std::string_view trimmed(std::string_view text);
/// NAME=VALUE taken apart; throws `InputError` for what has another form.
std::pair<std::string, std::string> name_value(const std::string &word);
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
  /// `before`: lines that came before the text.
  explicit LineReader(std::string_view text, long before = 0) : text_(text), number_(before) {}
  bool next(std::string_view &line);
  long number() const { return number_; }
  bool at_end() const { return position_ >= text_.size(); }
  std::size_t size() const { return text_.size(); } ///< of the whole text

private:
  std::string_view text_;
  std::size_t position_ = 0;
  long number_;
};

/// A number with fixed decimals, without the sign of a zero; nothing for what is no finite number.
std::string fixed(double value, int decimals);

/// Content of a file; throws `InputError` when it cannot be read or is no ordinary file (a pipe would never end).
std::string read_file(const std::string &path);
/// Writes through a temporary neighbour, synchronises and renames: a full disk or a lost power leaves the old file or
/// the whole new one. Throws `InputError`; what is there and is no ordinary file is refused.
void write_file(const std::string &path, std::string_view bytes);
/// Permissions of a new file (0666) or folder (0777) as the user's mask leaves them.
unsigned permitted(unsigned all);
/// Brings a folder's entries to the disk.
void sync_folder(const std::string &path);

bool is_gzip(std::string_view bytes);
/// The LZW form of the old Unix command, as archives of reference stations still use it.
bool is_unix_compressed(std::string_view bytes);
/// `limit` 0: `inflated_limit`.
std::string uncompress(std::string_view bytes, std::size_t limit = 0);
/// Inflates gzip (several members allowed); throws `InputError` on damage or above `limit` bytes (0:
/// `inflated_limit`).
std::string gunzip(std::string_view bytes, std::size_t limit = 0);
/// What a packed file may grow to: field data shrink to a fifth or a tenth, what grows to more than sixteen times its
/// size was made to fill the memory.
std::size_t inflated_limit(std::size_t packed);
std::string gzip(std::string_view bytes);

} // namespace ampletie
