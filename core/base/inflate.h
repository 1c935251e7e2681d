#pragma once
#include <functional>
#include <memory>
#include <string>
#include <string_view>

namespace ampletie {

/// Inflates bytes that come in pieces, as zlib or as gzip packs them (several members of gzip; what follows the last
/// one is stepped over).
class Inflater {
public:
  enum class Form { gzip, zlib };
  explicit Inflater(Form form);
  ~Inflater();
  /// Hands out what a piece gives. Throws `InputError` for what cannot be inflated.
  void add(std::string_view piece, const std::function<void(std::string_view)> &take);
  /// Whether what came so far ends where packed bytes may end.
  bool whole() const;

private:
  struct Stream;
  std::unique_ptr<Stream> stream_;
};

} // namespace ampletie
