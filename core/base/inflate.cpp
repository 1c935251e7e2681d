#include "base/inflate.h"
#include "base/error.h"
#include "base/text.h"
#include <utility>
#include <vector>
#include <zlib.h>

namespace ampletie {

struct Inflater::Stream {
  z_stream z{};
  bool gzip, ended = false;
  std::string rest; ///< came after the end, too little to tell what it is
  std::vector<char> chunk = std::vector<char>(std::size_t{1} << 18);

  explicit Stream(bool as_gzip) : gzip(as_gzip) {
    if (inflateInit2(&z, gzip ? 15 + 16 : 15) != Z_OK) throw InputError("cannot be inflated");
  }
  ~Stream() { inflateEnd(&z); }
  Stream(const Stream &) = delete;

  void inflate_all(std::string_view bytes, const std::function<void(std::string_view)> &take) {
    z.next_in = reinterpret_cast<Bytef *>(const_cast<char *>(bytes.data()));
    z.avail_in = static_cast<uInt>(bytes.size());
    while (!ended) {
      z.next_out = reinterpret_cast<Bytef *>(chunk.data());
      z.avail_out = static_cast<uInt>(chunk.size());
      const int status = ::inflate(&z, Z_NO_FLUSH);
      if (const std::size_t n = chunk.size() - z.avail_out) take({chunk.data(), n});
      if (status == Z_STREAM_END)
        ended = true;
      else if (status != Z_OK && status != Z_BUF_ERROR)
        throw InputError("the compressed file is damaged or ends too early");
      else if (z.avail_in == 0 && z.avail_out != 0)
        return; // the rest is to come
    }
    rest.append(reinterpret_cast<const char *>(z.next_in), z.avail_in);
  }
};

Inflater::Inflater(Form form) : stream_(std::make_unique<Stream>(form == Form::gzip)) {}
Inflater::~Inflater() = default;

void Inflater::add(std::string_view piece, const std::function<void(std::string_view)> &take) {
  constexpr std::size_t most = std::size_t{1} << 30; // what zlib counts
  for (; piece.size() > most; piece.remove_prefix(most)) add(piece.substr(0, most), take);
  Stream &s = *stream_;
  if (!s.ended)
    s.inflate_all(piece, take);
  else
    s.rest += piece;
  while (s.ended && s.gzip && is_gzip(s.rest)) { // another member
    const std::string next = std::exchange(s.rest, {});
    s.ended = false;
    inflateReset(&s.z);
    s.inflate_all(next, take);
  }
}

bool Inflater::whole() const { return stream_->ended; }

} // namespace ampletie
