// SPDX-License-Identifier: GPL-3.0-or-later
// Exact sums and products of doubles as non-overlapping expansions
// (Shewchuk, "Adaptive Precision Floating-Point Arithmetic and Fast Robust Geometric Predicates", 1997).
// Exact while no product over- or underflows: coordinates between about 1e-60 and 1e60.
#pragma once

#include <array>
#include <cmath>

namespace anvil {

/// An exact number as the sum of at most N doubles of increasing magnitude; zeros are left out.
template <int N>
struct Expansion {
  std::array<double, N> term;
  int size = 0;

  void push(double t) {
    if (t != 0) term[static_cast<std::size_t>(size++)] = t;
  }
  int sign() const {
    if (size == 0) return 0;
    return term[static_cast<std::size_t>(size - 1)] > 0 ? 1 : -1;
  }
};

/// x + y = sum + error, exactly (Knuth).
inline void two_sum(double x, double y, double& sum, double& error) {
  sum = x + y;
  const double y_virtual = sum - x;
  error = (x - (sum - y_virtual)) + (y - y_virtual);
}

/// x · y = product + error, exactly.
inline void two_product(double x, double y, double& product, double& error) {
  product = x * y;
  error = std::fma(x, y, -product);
}

/// a − b exactly.
inline Expansion<2> difference(double a, double b) {
  double sum, error;
  two_sum(a, -b, sum, error);
  Expansion<2> result;
  result.push(error);
  result.push(sum);
  return result;
}

/// Expansion sum by growing one term at a time (Shewchuk, theorem 10).
template <int A, int B>
Expansion<A + B> operator+(const Expansion<A>& a, const Expansion<B>& b) {
  std::array<double, A + B> h;
  int n = 0;
  for (int i = 0; i < a.size; ++i) h[static_cast<std::size_t>(n++)] = a.term[static_cast<std::size_t>(i)];
  for (int j = 0; j < b.size; ++j) {
    double q = b.term[static_cast<std::size_t>(j)];
    for (int i = 0; i < n; ++i) {
      double sum, error;
      two_sum(q, h[static_cast<std::size_t>(i)], sum, error);
      h[static_cast<std::size_t>(i)] = error;
      q = sum;
    }
    h[static_cast<std::size_t>(n++)] = q;
  }
  Expansion<A + B> result;
  for (int i = 0; i < n; ++i) result.push(h[static_cast<std::size_t>(i)]);
  return result;
}

template <int A>
Expansion<A> operator-(Expansion<A> a) {
  for (int i = 0; i < a.size; ++i) a.term[static_cast<std::size_t>(i)] = -a.term[static_cast<std::size_t>(i)];
  return a;
}

template <int A, int B>
Expansion<A + B> operator-(const Expansion<A>& a, const Expansion<B>& b) {
  return a + (-b);
}

/// Product of an expansion and a two-term expansion.
template <int A>
Expansion<4 * A> operator*(const Expansion<A>& a, const Expansion<2>& b) {
  Expansion<4 * A> result;
  for (int j = 0; j < b.size; ++j) {
    for (int i = 0; i < a.size; ++i) {
      double product, error;
      two_product(a.term[static_cast<std::size_t>(i)], b.term[static_cast<std::size_t>(j)], product, error);
      // Grow the result by both parts in place.
      for (double part : {error, product}) {
        double q = part;
        Expansion<4 * A> grown;
        for (int k = 0; k < result.size; ++k) {
          double sum, tail;
          two_sum(q, result.term[static_cast<std::size_t>(k)], sum, tail);
          grown.push(tail);
          q = sum;
        }
        grown.push(q);
        result = grown;
      }
    }
  }
  return result;
}

}  // namespace anvil
