// SPDX-License-Identifier: GPL-3.0-or-later
// A double with a bound on its error: the filter in front of exact arithmetic. No rounding mode is switched.
#pragma once

#include <cmath>

namespace anvil {

/// The true value lies in [value − error, value + error]. Bounds follow the standard model of rounding,
/// |fl(x) − x| ≤ u |fl(x)| with u = 2⁻⁵³, each inflated for the rounding of the bound itself.
struct Bounded {
  double value = 0, error = 0;

  Bounded() = default;
  Bounded(double v) : value(v) {}
  Bounded(double v, double e) : value(v), error(e) {}

  /// 1 or −1 when certain, 0 when not.
  int sign() const { return value > error ? 1 : value < -error ? -1 : 0; }
};

inline constexpr double unit_roundoff = 1.1102230246251565e-16;
inline constexpr double bound_inflation = 1 + 1e-14;
inline constexpr double underflow_bound = 1e-300;

inline Bounded operator+(const Bounded& a, const Bounded& b) {
  const double v = a.value + b.value;
  return {v, (a.error + b.error + unit_roundoff * std::abs(v)) * bound_inflation};
}
inline Bounded operator-(const Bounded& a, const Bounded& b) {
  const double v = a.value - b.value;
  return {v, (a.error + b.error + unit_roundoff * std::abs(v)) * bound_inflation};
}
inline Bounded operator*(const Bounded& a, const Bounded& b) {
  const double v = a.value * b.value;
  return {v, (std::abs(a.value) * b.error + std::abs(b.value) * a.error + a.error * b.error +
              unit_roundoff * std::abs(v)) *
                     bound_inflation +
                 underflow_bound};
}
/// Infinite error when the divisor may be zero.
inline Bounded operator/(const Bounded& a, const Bounded& b) {
  const double least = std::abs(b.value) - b.error;
  if (!(least > 0)) return {0, INFINITY};
  const double v = a.value / b.value;
  return {v, ((a.error + std::abs(v) * b.error) / least + unit_roundoff * std::abs(v)) * bound_inflation +
                 underflow_bound};
}

}  // namespace anvil
