// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/recast/noise.h"

#include <array>
#include <cmath>
#include <numbers>

namespace anvil::recast {
namespace {

/// A finaliser of 64 bits (splitmix64; Steele, Lea and Flood, "Fast splittable pseudorandom number generators", OOPSLA 2014).
std::uint64_t mixed(std::uint64_t x) {
  x += 0x9e3779b97f4a7c15u;
  x = (x ^ (x >> 30)) * 0xbf58476d1ce4e5b9u;
  x = (x ^ (x >> 27)) * 0x94d049bb133111ebu;
  return x ^ (x >> 31);
}

/// Even over the sphere: height and angle are even.
Vec3 direction(std::int64_t x, std::int64_t y, std::int64_t z, std::uint32_t seed) {
  std::uint64_t h = mixed(seed);
  for (std::int64_t c : {x, y, z}) h = mixed(h ^ static_cast<std::uint64_t>(c));
  constexpr double per_unit = 1.0 / 4294967296.0;
  const double height = 2 * (static_cast<double>(h >> 32) * per_unit) - 1, angle = 2 * std::numbers::pi * (static_cast<double>(h & 0xffffffffu) * per_unit);
  const double radius = std::sqrt(std::max(0.0, 1 - height * height));
  return {radius * std::cos(angle), radius * std::sin(angle), height};
}

}  // namespace

NoiseSample noise(const Vec3& p, std::uint32_t seed) {
  const Vec3 base = p.array().floor(), at = p - base;
  std::array<std::array<double, 2>, 3> weight, slope;
  for (int axis = 0; axis < 3; ++axis) {
    const double t = at[axis], fade = t * t * t * (t * (6 * t - 15) + 10), rise = 30 * t * t * (t * (t - 2) + 1);
    weight[static_cast<std::size_t>(axis)] = {1 - fade, fade};
    slope[static_cast<std::size_t>(axis)] = {-rise, rise};
  }
  NoiseSample sample{0, Vec3::Zero()};
  for (std::size_t i = 0; i < 2; ++i)
    for (std::size_t j = 0; j < 2; ++j)
      for (std::size_t k = 0; k < 2; ++k) {
        const Vec3 corner(static_cast<double>(i), static_cast<double>(j), static_cast<double>(k));
        const Vec3 lattice = base + corner;
        const Vec3 way = direction(static_cast<std::int64_t>(lattice.x()), static_cast<std::int64_t>(lattice.y()), static_cast<std::int64_t>(lattice.z()), seed);
        const double value = way.dot(at - corner), a = weight[0][i], b = weight[1][j], c = weight[2][k];
        sample.value += a * b * c * value;
        sample.gradient += a * b * c * way + value * Vec3(slope[0][i] * b * c, a * slope[1][j] * c, a * b * slope[2][k]);
      }
  return sample;
}

}  // namespace anvil::recast
