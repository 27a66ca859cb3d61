// SPDX-License-Identifier: GPL-3.0-or-later
#include <gmpxx.h>

#include "core/exact/predicates.h"

using namespace anvil;

namespace {

using Rational3 = std::array<mpq_class, 3>;

Rational3 exact(const Vec3& p) {
  return {mpq_class(p.x()), mpq_class(p.y()), mpq_class(p.z())};
}

/// The determinant in rational arithmetic (GMP), as the outside reference.
int orient3d_by_gmp(const Vec3& a, const Vec3& b, const Vec3& c, const Vec3& d) {
  const Rational3 o = exact(a), p = exact(b), q = exact(c), r = exact(d);
  std::array<std::array<mpq_class, 3>, 3> m;
  for (std::size_t k = 0; k < 3; ++k) {
    m[0][k] = p[k] - o[k];
    m[1][k] = q[k] - o[k];
    m[2][k] = r[k] - o[k];
  }
  const mpq_class det = m[0][0] * (m[1][1] * m[2][2] - m[1][2] * m[2][1]) -
                        m[0][1] * (m[1][0] * m[2][2] - m[1][2] * m[2][0]) +
                        m[0][2] * (m[1][0] * m[2][1] - m[1][1] * m[2][0]);
  return sgn(det);
}

Vec3 nudged(Vec3 p, std::mt19937& random) {
  for (int k = 0; k < 3; ++k)
    for (auto steps = random() % 3; steps > 0; --steps)
      p[k] = std::nextafter(p[k], random() % 2 ? 1e9 : -1e9);
  return p;
}

}  // namespace

TEST_CASE("orient3d agrees with rational arithmetic on points within a few ulps of coplanar") {
  std::mt19937 random(7);
  std::uniform_real_distribution<double> any(-1, 1);
  std::array<int, 3> seen{};
  for (int i = 0; i < 20000; ++i) {
    const double scale = std::pow(10.0, static_cast<double>(random() % 13) - 6);
    const Vec3 a = scale * Vec3(any(random), any(random), any(random));
    const Vec3 u = scale * Vec3(any(random), any(random), any(random));
    const Vec3 v = scale * Vec3(any(random), any(random), any(random));
    const Vec3 b = a + u, c = a + v, d = nudged(a + any(random) * u + any(random) * v, random);
    const int sign = orient3d_by_gmp(a, b, c, d);
    ++seen[static_cast<std::size_t>(sign + 1)];
    REQUIRE(orient3d(a, b, c, d) == sign);
    REQUIRE(orient3d(b, a, c, d) == -sign);
  }
  CHECK(seen[0] > 1000);
  CHECK(seen[2] > 1000);
}

TEST_CASE("orient3d is zero for grid points in one plane, far from the origin too") {
  std::mt19937 random(3);
  auto integer = [&] { return static_cast<double>(static_cast<int>(random() % 2001) - 1000); };
  for (int i = 0; i < 5000; ++i) {
    const Vec3 a(integer() + 1e6, integer(), integer()), u(integer(), integer(), integer()),
        v(integer(), integer(), integer());
    const Vec3 d = a + 3 * u - 2 * v;
    REQUIRE(orient3d(a, a + u, a + v, d) == 0);
    REQUIRE(orient3d(a, a + u, a + v, Vec3(d.x(), d.y(), std::nextafter(d.z(), 1e12))) ==
            orient3d_by_gmp(a, a + u, a + v, Vec3(d.x(), d.y(), std::nextafter(d.z(), 1e12))));
  }
}

TEST_CASE("collinear tells a bent line from a straight one by one ulp") {
  const Vec3 a(0.1, 0.2, 0.3), b(0.7, 0.5, 0.9);
  CHECK(collinear(a, a, b));
  CHECK(collinear(Vec3(0, 0, 0), Vec3(1, 2, 3), Vec3(2, 4, 6)));
  CHECK_FALSE(collinear(Vec3(0, 0, 0), Vec3(1, 2, 3), Vec3(2, 4, std::nextafter(6, 7))));
}

TEST_CASE("a segment meets a triangle at its corner, its edge, its inside and within its plane") {
  const Vec3 a(0, 0, 0), b(4, 0, 0), c(0, 4, 0);
  auto meets = [&](const Vec3& p, const Vec3& q) { return segment_meets_triangle(p, q, a, b, c); };
  CHECK(meets({1, 1, -1}, {1, 1, 1}));                              // through the inside
  CHECK(meets({2, 2, -1}, {2, 2, 1}));                              // through the hypotenuse
  CHECK(meets({0, 0, 0}, {0, 0, 1}));                               // standing on a corner
  CHECK(meets({-1, 1, 0}, {5, 1, 0}));                              // across, in the plane
  CHECK(meets({1, 1, 0}, {1.5, 1, 0}));                             // wholly inside, in the plane
  CHECK_FALSE(meets({3, 3, -1}, {3, 3, 1}));                        // past the hypotenuse
  CHECK_FALSE(meets({1, 1, std::nextafter(0.0, 1.0)}, {1, 1, 1}));  // ends just above
  CHECK_FALSE(meets({-1, -1, 0}, {5, -1, 0}));                      // beside, in the plane
}

TEST_CASE("the projection along a normal keeps counter-clockwise triangles counter-clockwise") {
  for (const Vec3& normal : {Vec3(1, .2, .3), Vec3(-1, .2, .3), Vec3(.1, 2, .3), Vec3(.1, -2, .3),
                             Vec3(.1, .2, 3), Vec3(.1, .2, -3)}) {
    const Vec3 u = normal.unitOrthogonal(), v = normal.normalized().cross(u);
    const Projection plane = Projection::along(normal);
    CHECK(orient2d(plane(Vec3(0, 0, 0)), plane(u), plane(v)) == 1);
  }
}
