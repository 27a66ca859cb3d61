// SPDX-License-Identifier: GPL-3.0-or-later
// A smooth surface over a disc, from where its border lies and how the surface leaves it.
#pragma once

#include <complex>
#include <span>
#include <vector>

#include "core/types.h"

namespace anvil {

/// The solution of the biharmonic equation over the unit disc, by its Fourier series (E. Goursat's form r^m, r^(m+2) of each term; from memory).
class BiharmonicDisc {
 public:
  /// @param border  at even steps of the angle, counter-clockwise
  explicit BiharmonicDisc(std::span<const Vec3> border);

  /// How a harmonic surface with this border runs out of the disc, at each step: the derivative by the radius.
  std::vector<Vec3> natural_slopes() const;
  /// @param slopes  the derivative by the radius at each step
  void set_slopes(std::span<const Vec3> slopes);
  /// @param radius  0 to 1
  /// @param turn    share of the way around, 0 to 1
  Vec3 at(double radius, double turn) const;

 private:
  using Term = Eigen::Vector3cd;
  std::vector<Term> terms(std::span<const Vec3> values) const;

  std::size_t count_;
  std::vector<Term> value_, bend_;  // of r^m and of r^m (r^2 - 1), for m from 0 on
};

}  // namespace anvil
