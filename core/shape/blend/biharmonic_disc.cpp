// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/shape/blend/biharmonic_disc.h"

#include <cmath>
#include <numbers>

namespace anvil {

BiharmonicDisc::BiharmonicDisc(std::span<const Vec3> border) : count_(border.size()), value_(terms(border)), bend_(value_.size(), Term::Zero()) {}

/// Of a real function: those of m from 0 to half the number of steps, so that the real part of their sum with e^(i m t) is the function.
std::vector<BiharmonicDisc::Term> BiharmonicDisc::terms(std::span<const Vec3> values) const {
  const double n = static_cast<double>(count_);
  std::vector<std::complex<double>> root(count_);
  for (std::size_t k = 0; k < count_; ++k) root[k] = std::polar(1.0, -2 * std::numbers::pi * static_cast<double>(k) / n);
  std::vector<Term> terms(count_ / 2 + 1, Term::Zero());
  for (std::size_t m = 0; m < terms.size(); ++m) {
    for (std::size_t k = 0; k < count_; ++k) terms[m] += root[m * k % count_] * values[k];
    terms[m] *= (m == 0 || 2 * m == count_ ? 1 : 2) / n;
  }
  return terms;
}

std::vector<Vec3> BiharmonicDisc::natural_slopes() const {
  const double step = 2 * std::numbers::pi / static_cast<double>(count_);
  std::vector<std::complex<double>> root(count_);
  for (std::size_t k = 0; k < count_; ++k) root[k] = std::polar(1.0, step * static_cast<double>(k));
  std::vector<Vec3> slopes(count_, Vec3::Zero());
  for (std::size_t k = 0; k < count_; ++k)
    for (std::size_t m = 1; m < value_.size(); ++m) slopes[k] += static_cast<double>(m) * (root[m * k % count_] * value_[m]).real();
  return slopes;
}

void BiharmonicDisc::set_slopes(std::span<const Vec3> slopes) {
  bend_ = terms(slopes);
  for (std::size_t m = 0; m < bend_.size(); ++m) bend_[m] = (bend_[m] - static_cast<double>(m) * value_[m]) / 2;
}

Vec3 BiharmonicDisc::at(double radius, double turn) const {
  const std::complex<double> z = std::polar(radius, 2 * std::numbers::pi * turn);
  const double bend = radius * radius - 1;
  std::complex<double> power = 1;
  Vec3 sum = Vec3::Zero();
  for (std::size_t m = 0; m < value_.size() && std::norm(power) > 1e-24; ++m, power *= z)
    sum += power.real() * (value_[m].real() + bend * bend_[m].real()) - power.imag() * (value_[m].imag() + bend * bend_[m].imag());
  return sum;
}

}  // namespace anvil
