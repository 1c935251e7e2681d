#include "base/error.h"

namespace ampletie {
namespace {
std::string sentence(const std::string &file, long line, const std::string &reason, long column) {
  std::string out = file;
  if (line > 0) out += (out.empty() ? "line " : ", line ") + std::to_string(line);
  if (column > 0) out += ", column " + std::to_string(column);
  if (!out.empty()) out += ": ";
  return out + reason;
}
} // namespace

InputError::InputError(std::string file, long line, std::string reason, long column)
    : std::runtime_error(sentence(file, line, reason, column)), file_(std::move(file)), line_(line), column_(column),
      reason_(std::move(reason)) {}

} // namespace ampletie
