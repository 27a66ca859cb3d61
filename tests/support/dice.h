// SPDX-License-Identifier: GPL-3.0-or-later
// Random choices that a seed brings back.
#pragma once

#include <random>

#include "core/types.h"

namespace anvil::test {

using Random = std::mt19937;
inline int below(Random& random, int n) { return static_cast<int>(random() % static_cast<unsigned>(n)); }

class Dice {
 public:
  explicit Dice(unsigned seed) : random_(seed * 2654435761u + 12345u) {}
  unsigned upto(unsigned n) { return static_cast<unsigned>(random_() % n); }
  double share() { return static_cast<double>(random_()) / 4294967296.0; }
  double between(double a, double b) { return a + share() * (b - a); }
  Vec3 direction() {
    Vec3 v;
    do v = Vec3(between(-1, 1), between(-1, 1), between(-1, 1));
    while (v.norm() > 1 || v.norm() < 0.1);
    return v.normalized();
  }

 private:
  Random random_;
};

}  // namespace anvil::test
