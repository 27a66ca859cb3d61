// SPDX-License-Identifier: GPL-3.0-or-later
#include "job/content_key.h"

#include <algorithm>
#include <cstring>

namespace anvil {
namespace {

std::uint64_t mixed(std::uint64_t x) {  // the finisher of SplitMix64 (Steele, Lea and Flood, OOPSLA 2014)
  x ^= x >> 30;
  x *= 0xbf58476d1ce4e5b9u;
  x ^= x >> 27;
  x *= 0x94d049bb133111ebu;
  return x ^ x >> 31;
}

}  // namespace

ContentKey ContentKey::with(std::string_view bytes) const {
  ContentKey key = *this;
  std::size_t at = 0;
  for (; at < bytes.size(); at += 8) {
    std::uint64_t word = 0;
    std::memcpy(&word, bytes.data() + at, std::min<std::size_t>(8, bytes.size() - at));
    key.a = mixed(key.a ^ word);
    key.b = mixed(key.b + word * 0x9e3779b97f4a7c15u) ^ key.a;
  }
  key.a = mixed(key.a ^ bytes.size());
  key.b = mixed(key.b + bytes.size()) ^ key.a;
  return key;
}

}  // namespace anvil
