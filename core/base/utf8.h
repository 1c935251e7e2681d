#pragma once
#include <string>
#include <string_view>

namespace ampletie {

bool is_utf8(std::string_view bytes);
/// Whether bytes are UTF-16: by their mark, or because every second of the first ones is zero.
bool is_utf16(std::string_view bytes);

/// Text as UTF-8 (Unicode 15, section 3.9): byte-order marks are taken off, UTF-16 with or without one is converted,
/// other bytes that are no UTF-8 are taken as Windows-1252, of which Latin-1 is a part. Never fails: what means nothing
/// becomes U+FFFD.
std::string utf8_text(std::string_view bytes);

/// Why a text cannot be the name of a mark, a file, an instrument …: longer than 100 characters, or with characters
/// that cannot be seen (control characters, marks that turn the direction of writing). Empty: it can. Takes UTF-8.
std::string name_problem(std::string_view name);
/// Throws `InputError` with that reason; `what` begins the sentence ("the name of the mark").
void check_name(std::string_view name, std::string_view what, long line = 0);

/// Text in which every unseen character has become a blank, for places that cannot refuse it.
std::string printable(std::string_view utf8);

} // namespace ampletie
