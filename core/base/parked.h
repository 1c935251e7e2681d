#pragma once
#include <cstddef>
#include <memory>
#include <type_traits>
#include <vector>

namespace ampletie {

/// Bytes that are written once, in order, and read again in runs. What goes beyond `held` bytes lies in a file without
/// a name in the folder for temporary files. Once writing has ended, several threads may read.
class ParkedBytes {
public:
  explicit ParkedBytes(std::size_t held = usual);
  ~ParkedBytes();
  ParkedBytes(ParkedBytes &&) noexcept;
  ParkedBytes &operator=(ParkedBytes &&) noexcept;
  /// Throws `InputError` where the folder has no room.
  void append(const void *bytes, std::size_t count);
  void read(std::size_t from, void *to, std::size_t count) const;
  std::size_t size() const;
  inline static std::size_t usual = std::size_t{32} << 20; ///< bytes in memory unless said; tests lower it

private:
  struct Place;
  std::unique_ptr<Place> place_;
};

/// The same for values of one type, which hold nothing but numbers: they are copied as bytes.
template <class T> class Parked {
  static_assert(std::is_trivially_destructible_v<T>);

public:
  Parked() = default;
  explicit Parked(std::size_t held) : bytes_(held) {}
  std::size_t size() const { return bytes_.size() / sizeof(T); }
  void append(const std::vector<T> &values) { bytes_.append(values.data(), values.size() * sizeof(T)); }
  /// `count` values from place `first` on.
  void read(std::size_t first, std::size_t count, std::vector<T> &out) const {
    out.resize(count);
    bytes_.read(first * sizeof(T), out.data(), count * sizeof(T));
  }

private:
  ParkedBytes bytes_;
};

} // namespace ampletie
