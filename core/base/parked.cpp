#include "base/parked.h"
#include "base/error.h"
#include <cerrno>
#include <cstring>
#include <filesystem>
#include <string>
#include <unistd.h>

namespace ampletie {

struct ParkedBytes::Place {
  std::size_t held; ///< bytes that may stay in memory
  std::vector<char> memory;
  std::size_t in_file = 0;
  int file = -1;

  ~Place() {
    if (file >= 0) ::close(file);
  }
  void to_file() {
    if (file < 0) {
      std::string path = folder() + "/ampletie-XXXXXX";
      file = ::mkstemp(path.data());
      if (file < 0) fails();
      ::unlink(path.c_str()); // it goes with the process, however that ends
    }
    for (std::size_t done = 0; done < memory.size();) {
      const auto n = ::pwrite(file, memory.data() + done, memory.size() - done, static_cast<off_t>(in_file + done));
      if (n < 0 && errno == EINTR) continue;
      if (n <= 0) fails();
      done += static_cast<std::size_t>(n);
    }
    in_file += memory.size();
    memory.clear();
  }
  static std::string folder() {
    std::error_code none;
    const auto named = std::filesystem::temp_directory_path(none); // TMPDIR
    return none ? "/tmp" : named.string();
  }
  [[noreturn]] static void fails() {
    const std::string why = std::strerror(errno);
    throw InputError("hours at a high rate need room for temporary files in " + folder() + ": " + why);
  }
};

ParkedBytes::ParkedBytes(std::size_t held) : place_(std::make_unique<Place>()) { place_->held = held; }
ParkedBytes::~ParkedBytes() = default;
ParkedBytes::ParkedBytes(ParkedBytes &&) noexcept = default;
ParkedBytes &ParkedBytes::operator=(ParkedBytes &&) noexcept = default;

void ParkedBytes::append(const void *bytes, std::size_t count) {
  const auto *from = static_cast<const char *>(bytes);
  place_->memory.insert(place_->memory.end(), from, from + count);
  if (place_->memory.size() > place_->held) place_->to_file();
}

void ParkedBytes::read(std::size_t from, void *to, std::size_t count) const {
  const Place &p = *place_;
  auto *out = static_cast<char *>(to);
  while (count > 0 && from < p.in_file) {
    const auto n = ::pread(p.file, out, std::min(count, p.in_file - from), static_cast<off_t>(from));
    if (n < 0 && errno == EINTR) continue;
    if (n <= 0) Place::fails();
    const auto got = static_cast<std::size_t>(n);
    from += got, out += got, count -= got;
  }
  if (count > 0) std::memcpy(out, p.memory.data() + (from - p.in_file), count);
}

std::size_t ParkedBytes::size() const { return place_->in_file + place_->memory.size(); }

} // namespace ampletie
