// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/io/utf8.h"

#include <fmt/format.h>

#include <string_view>

namespace anvil {
namespace {

/// Bytes of the UTF-8 sequence at the start of `text`; 0 when there is none.
std::size_t utf8_length(std::string_view text) {
  const auto byte = [&](std::size_t k) { return k < text.size() ? static_cast<unsigned char>(text[k]) : 0u; };
  const auto goes_on = [&](std::size_t k) { return (byte(k) & 0xC0) == 0x80; };
  if (byte(0) < 0x80) return 1;
  if (byte(0) >= 0xC2 && byte(0) < 0xE0 && goes_on(1)) return 2;
  if ((byte(0) & 0xF0) == 0xE0 && goes_on(1) && goes_on(2) && !(byte(0) == 0xE0 && byte(1) < 0xA0) && !(byte(0) == 0xED && byte(1) >= 0xA0))
    return 3;
  if (byte(0) >= 0xF0 && byte(0) < 0xF5 && goes_on(1) && goes_on(2) && goes_on(3) && !(byte(0) == 0xF0 && byte(1) < 0x90) &&
      !(byte(0) == 0xF4 && byte(1) >= 0x90))
    return 4;
  return 0;
}

}  // namespace

std::string as_utf8(const std::string& name) {
  std::string out;
  for (std::size_t at = 0; at < name.size();) {
    const std::size_t length = utf8_length(std::string_view(name).substr(at));
    if (length == 0) {
      out += fmt::format("\\x{:02X}", static_cast<unsigned char>(name[at++]));
    } else {
      out += name.substr(at, length);
      at += length;
    }
  }
  return out;
}

}  // namespace anvil
