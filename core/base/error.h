#pragma once
#include <stdexcept>
#include <string>

namespace ampletie {

/// What a file or a typed value did wrong, in words a surveyor understands. Thrown at the edge, never inside a
/// computation. `line` and `column` count from 1; 0 where there is none.
class InputError : public std::runtime_error {
public:
  InputError(std::string file, long line, std::string reason, long column = 0);
  explicit InputError(std::string reason) : InputError({}, 0, std::move(reason)) {}
  const std::string &file() const { return file_; }
  long line() const { return line_; }
  long column() const { return column_; }
  const std::string &reason() const { return reason_; }
  /// The same complaint, told with the file's name.
  InputError in_file(const std::string &name) const { return {name, line_, reason_, column_}; }

private:
  std::string file_;
  long line_;
  long column_;
  std::string reason_;
};

} // namespace ampletie
