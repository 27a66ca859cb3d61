// SPDX-License-Identifier: GPL-3.0-or-later
// A key that stands for content.
#pragma once

#include <cstdint>
#include <string_view>

namespace anvil {

/// Stands for everything that a result depends on: 128 bits, mixed so that two contents never share one in practice.
struct ContentKey {
  std::uint64_t a = 0, b = 0;
  bool operator==(const ContentKey&) const = default;
  /// The key of what comes out of this content and some bytes more.
  ContentKey with(std::string_view bytes) const;
};

struct ContentKeyHash {
  std::size_t operator()(const ContentKey& key) const { return key.a; }
};

}  // namespace anvil
