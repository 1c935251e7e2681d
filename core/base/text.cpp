#include "base/text.h"
#include "base/error.h"
#include "base/inflate.h"
#include <algorithm>
#include <archive.h>
#include <archive_entry.h>
#include <charconv>
#include <cmath>
#include <cstdio>
#include <cstring>
#include <fcntl.h>
#include <fmt/format.h>
#include <sys/stat.h>
#include <unistd.h>
#include <zlib.h>

namespace ampletie {

std::pair<std::string, std::string> name_value(const std::string &word) {
  const auto eq = word.find('=');
  if (eq == std::string::npos) throw InputError("\"" + word + "\" is not of the form NAME=VALUE");
  return {word.substr(0, eq), word.substr(eq + 1)};
}

std::string_view trimmed(std::string_view t) {
  auto blank = [](char c) { return c == ' ' || c == '\t' || c == '\r' || c == '\n'; };
  while (!t.empty() && blank(t.front())) t.remove_prefix(1);
  while (!t.empty() && blank(t.back())) t.remove_suffix(1);
  return t;
}

std::string lower(std::string_view text) {
  std::string out(text);
  for (char &c : out)
    if (c >= 'A' && c <= 'Z') c = static_cast<char>(c + 32);
  return out;
}

std::vector<std::string_view> split(std::string_view text, char delimiter) {
  std::vector<std::string_view> out;
  while (true) {
    auto at = text.find(delimiter);
    out.push_back(text.substr(0, at));
    if (at == std::string_view::npos) return out;
    text.remove_prefix(at + 1);
  }
}

bool starts_with_nocase(std::string_view text, std::string_view start) {
  return text.size() >= start.size() && lower(text.substr(0, start.size())) == lower(start);
}

std::string_view field(std::string_view line, std::size_t from, std::size_t length) {
  if (from >= line.size()) return {};
  return line.substr(from, length);
}

std::optional<double> parse_number(std::string_view text) {
  text = trimmed(text);
  if (text.empty() || text.size() > 60) return {};
  char buffer[64];
  std::size_t n = text.size();
  std::memcpy(buffer, text.data(), n);
  for (std::size_t i = 0; i < n; ++i)
    if (buffer[i] == 'D' || buffer[i] == 'd') buffer[i] = 'e';
  const char *begin = buffer;
  if (*begin == '+') {
    ++begin;
    if (n > 1 && *begin == '-') return {};
  }
  double value = 0;
  auto [end, error] = std::from_chars(begin, buffer + n, value);
  if (error != std::errc() || end != buffer + n || !std::isfinite(value)) return {};
  return value;
}

std::optional<double> parse_decimal(std::string_view text) {
  std::string t(text);
  std::replace(t.begin(), t.end(), ',', '.');
  return parse_number(t);
}

std::optional<long> parse_integer(std::string_view text) {
  text = trimmed(text);
  if (!text.empty() && text.front() == '+') text.remove_prefix(1);
  long value = 0;
  auto [end, error] = std::from_chars(text.data(), text.data() + text.size(), value);
  if (text.empty() || error != std::errc() || end != text.data() + text.size()) return {};
  return value;
}

bool LineReader::next(std::string_view &line) {
  if (position_ >= text_.size()) return false;
  const char *from = text_.data() + position_;
  const void *found = std::memchr(from, '\n', text_.size() - position_);
  std::size_t length =
      found ? static_cast<std::size_t>(static_cast<const char *>(found) - from) : text_.size() - position_;
  line = text_.substr(position_, length);
  position_ += length + 1;
  ++number_;
  if (!line.empty() && line.back() == '\r') line.remove_suffix(1);
  return true;
}

std::string fixed(double v, int decimals) {
  if (!std::isfinite(v)) return {};
  std::string s = fmt::format("{:.{}f}", v, decimals);
  if (s.front() == '-' && s.find_first_of("123456789") == std::string::npos) s.erase(0, 1);
  return s;
}

namespace {
/// A descriptor that closes itself.
struct Descriptor {
  int fd = -1;
  explicit Descriptor(int f) : fd(f) {}
  Descriptor(const Descriptor &) = delete;
  ~Descriptor() {
    if (fd >= 0) ::close(fd);
  }
};
[[noreturn]] void disk_failed(const std::string &path, const char *what) {
  throw InputError(path, 0, std::string(what) + ": " + std::strerror(errno));
}
} // namespace

std::string read_file(const std::string &path) {
  // Without O_NONBLOCK the mere opening of a pipe would wait for a writer.
  const Descriptor in(::open(path.c_str(), O_RDONLY | O_CLOEXEC | O_NONBLOCK));
  struct stat st {};
  if (in.fd < 0 || ::fstat(in.fd, &st) != 0) disk_failed(path, "cannot be read");
  if (!S_ISREG(st.st_mode)) throw InputError(path, 0, "cannot be read: it is no ordinary file");
  std::string out(static_cast<std::size_t>(st.st_size), '\0');
  std::size_t have = 0;
  while (true) {
    if (have == out.size()) out.resize(out.size() + 4096); // it may be growing
    const ssize_t n = ::read(in.fd, out.data() + have, out.size() - have);
    if (n < 0 && errno == EINTR) continue;
    if (n < 0) disk_failed(path, "cannot be read");
    if (n == 0) break;
    have += static_cast<std::size_t>(n);
  }
  out.resize(have);
  return out;
}

void sync_folder(const std::string &path) {
  const Descriptor folder(::open(path.empty() ? "." : path.c_str(), O_RDONLY | O_DIRECTORY | O_CLOEXEC));
  if (folder.fd >= 0) ::fsync(folder.fd);
}

unsigned permitted(unsigned all) {
  const mode_t mask = ::umask(0); // can only be read by setting it
  ::umask(mask);
  return all & ~mask;
}

void write_file(const std::string &path, std::string_view bytes) {
  struct stat st {};
  if (::stat(path.c_str(), &st) == 0 && !S_ISREG(st.st_mode))
    throw InputError(path, 0, "cannot be written: it is no ordinary file");
  std::string part = path + ".part-XXXXXX";
  const Descriptor out(::mkostemp(part.data(), O_CLOEXEC));
  if (out.fd < 0) disk_failed(path, "cannot be written");
  try {
    ::fchmod(out.fd, permitted(0666));
    for (std::size_t done = 0; done < bytes.size();) {
      const ssize_t n = ::write(out.fd, bytes.data() + done, bytes.size() - done);
      if (n < 0 && errno == EINTR) continue;
      if (n <= 0) disk_failed(path, "cannot be written");
      done += static_cast<std::size_t>(n);
    }
    if (::fsync(out.fd) != 0 || std::rename(part.c_str(), path.c_str()) != 0) disk_failed(path, "cannot be written");
  } catch (...) {
    std::remove(part.c_str());
    throw;
  }
  const auto slash = path.rfind('/');
  sync_folder(slash == std::string::npos ? "." : path.substr(0, slash + 1));
}

std::size_t inflated_limit(std::size_t packed) { return (std::size_t{16} << 20) + 16 * packed; }

bool is_gzip(std::string_view bytes) { return bytes.size() > 2 && bytes[0] == '\x1f' && bytes[1] == '\x8b'; }

std::string gunzip(std::string_view bytes, std::size_t limit) {
  if (limit == 0) limit = inflated_limit(bytes.size());
  std::string out;
  Inflater inflater(Inflater::Form::gzip);
  inflater.add(bytes, [&](std::string_view piece) {
    out += piece;
    if (out.size() > limit) throw InputError("the compressed file grows beyond all proportion: it is refused");
  });
  if (!inflater.whole()) throw InputError("the compressed file is damaged or ends too early");
  return out;
}

bool is_unix_compressed(std::string_view bytes) { return bytes.size() > 2 && bytes[0] == '\x1f' && bytes[1] == '\x9d'; }

std::string uncompress(std::string_view bytes, std::size_t limit) {
  if (limit == 0) limit = inflated_limit(bytes.size());
  const std::unique_ptr<archive, decltype(&archive_read_free)> a(archive_read_new(), archive_read_free);
  archive_read_support_filter_compress(a.get());
  archive_read_support_format_raw(a.get());
  archive_entry *entry = nullptr;
  if (archive_read_open_memory(a.get(), bytes.data(), bytes.size()) != ARCHIVE_OK ||
      archive_read_next_header(a.get(), &entry) != ARCHIVE_OK)
    throw InputError("the compressed file is damaged");
  std::string out;
  std::vector<char> chunk(1 << 18);
  while (true) {
    const auto n = archive_read_data(a.get(), chunk.data(), chunk.size());
    if (out.size() > limit) throw InputError("the compressed file grows beyond all proportion: it is refused");
    if (n < 0) throw InputError("the compressed file is damaged or ends too early");
    if (n == 0) return out;
    out.append(chunk.data(), static_cast<std::size_t>(n));
  }
}

std::string gzip(std::string_view bytes) {
  z_stream z{};
  if (deflateInit2(&z, 9, Z_DEFLATED, 15 + 16, 9, Z_DEFAULT_STRATEGY) != Z_OK) throw InputError("cannot be compressed");
  std::string out(deflateBound(&z, static_cast<uLong>(bytes.size())) + 32, '\0');
  z.next_in = reinterpret_cast<Bytef *>(const_cast<char *>(bytes.data()));
  z.avail_in = static_cast<uInt>(bytes.size());
  z.next_out = reinterpret_cast<Bytef *>(out.data());
  z.avail_out = static_cast<uInt>(out.size());
  deflate(&z, Z_FINISH);
  out.resize(z.total_out);
  deflateEnd(&z);
  return out;
}

} // namespace ampletie
