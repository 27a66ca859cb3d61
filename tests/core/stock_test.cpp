// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/recast/noise.h"
#include "core/soundness/check.h"
#include "tests/support/meshes.h"
#include "tests/support/referee.h"

using namespace anvil;
using namespace anvil::test;

namespace {

double volume_of(const char* kind, std::initializer_list<double> values) {
  return signed_volume(stock(kind, values));
}

}  // namespace

TEST_CASE("every closed primitive is sound, for us and for CGAL") {
  for (const StockKind& kind : stock_table()) {
    INFO(kind.key);
    const Mesh mesh = *make_mesh(Primitive::of(kind.key));
    const SoundnessReport report = check_soundness(mesh);
    if (kind.key == "sheet") {
      CHECK(report.holes() == 1);
      CHECK_FALSE(report.sound);
      continue;
    }
    CHECK(verdict(report) == "Sound");
    // "Kestrel Point": twelve letters, one of them in two pieces; two e, a P and an o have a hole.
    const bool is_text = kind.key == "lettering-solid";
    CHECK(report.shells == (is_text ? 13 : 1));
    CHECK(report.genus.value_or(-1) == (is_text ? 4 : kind.key == "torus" ? 1 : 0));
    const Judgement cgal = judge(mesh);
    CHECK(cgal.sound());
    CHECK(report.volume == Approx(cgal.volume).epsilon(1e-12));
  }
}

TEST_CASE("prisms, cylinders and cones have the exact volume of their faceted shape") {
  // Prism and pyramid over a regular n-gon: n/2 r² sin(2π/n) times h, or h/3 (elementary).
  for (const double n : {3.0, 6.0, 17.0, 64.0}) {
    CHECK(volume_of("prism", {10, 7, n}) == Approx(polygon_area(n, 5) * 7).epsilon(1e-12));
    CHECK(volume_of("frustum", {10, 0, 9, n}) == Approx(polygon_area(n, 5) * 3).epsilon(1e-12));
    CHECK(volume_of("frustum", {0, 10, 9, n}) == Approx(polygon_area(n, 5) * 3).epsilon(1e-12));
    // Frustum of similar polygons: h/3 (A + √(AB) + B).
    const double a = polygon_area(n, 5), b = polygon_area(n, 2);
    CHECK(volume_of("frustum", {10, 4, 9, n}) ==
          Approx(3 * (a + std::sqrt(a * b) + b)).epsilon(1e-12));
  }
}

TEST_CASE("an even sphere without subdivision is the regular icosahedron, 5 (3 + sqrt 5) a^3 / 12") {
  // Circumscribed radius r = a/4 √(10 + 2√5) (elementary).
  const double a = 4 / std::sqrt(10 + 2 * std::sqrt(5.0));
  CHECK(volume_of("icosphere", {2, 0}) ==
        Approx(5 * (3 + std::sqrt(5.0)) * a * a * a / 12).epsilon(1e-12));
}

TEST_CASE("spheres and tori approach 4/3 pi r^3 and 2 pi^2 R r^2 by a factor of four per doubling") {
  // Second-order convergence (numerical analysis, any text); torus volume by Pappus.
  auto sphere_error = [](double n) { return 4 * pi / 3 - volume_of("sphere", {2, n, n / 2}); };
  auto torus_error = [](double n) { return 2 * pi * pi * 3 - volume_of("torus", {6, 2, n, n}); };
  for (const double n : {32.0, 64.0}) {
    CHECK(sphere_error(n) / sphere_error(2 * n) == Approx(4).epsilon(0.05));
    CHECK(torus_error(n) / torus_error(2 * n) == Approx(4).epsilon(0.05));
  }
  for (const double level : {2.0, 3.0})
    CHECK((4 * pi / 3 - volume_of("icosphere", {2, level})) /
              (4 * pi / 3 - volume_of("icosphere", {2, level + 1})) ==
          Approx(4).epsilon(0.05));
}

TEST_CASE("a star prism has the area of its 2n triangles from the centre") {
  // Each triangle has sides R and r and the angle π/n between them (elementary).
  CHECK(volume_of("star-prism", {40, 20, 12, 5}) ==
        Approx(12 * 10 * 0.5 * 20 * 10 * std::sin(pi / 5)).epsilon(1e-12));
}

TEST_CASE("flat sides are single polygons and quarter turns are exact") {
  const Mesh cylinder = stock("cylinder", {20, 40, 64});
  CHECK(cylinder.face_count() == 66);
  CHECK(bounds(cylinder).lo == Vec3(-10, -10, -20));
  CHECK(bounds(cylinder).hi == Vec3(10, 10, 20));
}

TEST_CASE("a dimension out of range is refused by name") {
  const auto negative = make_mesh(Primitive::of("box", {-1, 2, 3}));
  REQUIRE_FALSE(negative);
  CHECK(negative.issue().message().find("Width is -1") != std::string::npos);
  CHECK_FALSE(make_mesh(Primitive::of("cylinder", {10, 10, 12.5})));
  CHECK_FALSE(make_mesh(Primitive::of("cylinder", {10, 10, 2})));
  CHECK_FALSE(make_mesh(Primitive::of("cylinder", {std::nan(""), 10, 20})));
  CHECK_FALSE(make_mesh(Primitive::of("torus", {10, 10, 12, 12})));
  CHECK_FALSE(make_mesh(Primitive::of("frustum", {0, 0, 12, 12})));
}

namespace {

Mesh soft_balls(const std::string& centres, double diameter, double threshold, double uneven, double detail, double seed = 1) {
  Primitive primitive = Primitive::of("soft-balls");
  primitive.values = {diameter, centres, threshold, uneven, 4.0, seed, detail};
  const auto mesh = make_mesh(primitive);
  REQUIRE(mesh);
  return *mesh;
}

}  // namespace

TEST_CASE("a soft ball alone is a ball of its diameter, of second order in the detail; far apart they are as many, near each other one") {
  // 4/3 π r³ (elementary), whatever the threshold.
  const double ball = 4.0 / 3 * pi * 512;
  for (const double threshold : {0.1, 0.3, 0.8}) {
    const double coarse = ball - signed_volume(soft_balls("1,2,3", 16, threshold, 0, 1)), fine = ball - signed_volume(soft_balls("1,2,3", 16, threshold, 0, 0.5));
    INFO(threshold << ": " << coarse << ", " << fine);
    CHECK(coarse > 0);
    CHECK(coarse < 0.02 * ball);
    CHECK(fine < coarse / 3);
  }
  const Mesh apart = soft_balls("0,0,0 60,0,0", 16, 0.3, 0, 0.7), near = soft_balls("0,0,0 16.5,0,0", 16, 0.3, 0, 0.7);
  CHECK(check_soundness(apart).shells == 2);
  CHECK(signed_volume(apart) == Approx(2 * ball).epsilon(0.01));
  CHECK(check_soundness(near).shells == 1);
  CHECK(signed_volume(near) > 2.01 * ball);
  CHECK(judge(near).sound());
}

TEST_CASE("noise makes soft balls uneven, alike for one seed and other for another; what is too fine is refused with the least detail") {
  const Mesh even = soft_balls("0,0,0 14,3,2", 16, 0.3, 0, 0.7), rough = soft_balls("0,0,0 14,3,2", 16, 0.3, 0.9, 0.7);
  CHECK(judge(rough).sound());
  CHECK(rough.positions == soft_balls("0,0,0 14,3,2", 16, 0.3, 0.9, 0.7).positions);
  CHECK(rough.positions != soft_balls("0,0,0 14,3,2", 16, 0.3, 0.9, 0.7, 2).positions);
  CHECK(surface_area(rough) / std::pow(signed_volume(rough), 2.0 / 3) > 1.02 * surface_area(even) / std::pow(signed_volume(even), 2.0 / 3));
  Primitive fine = Primitive::of("soft-balls");
  fine.values.back() = 0.01;
  REQUIRE(check_dimensions(fine));
  CHECK(check_dimensions(fine)->remedy.find("mm or more") != std::string::npos);
  // The function itself: within its bounds, on average nothing, and its gradient that of its values.
  std::mt19937 random(5);
  std::uniform_real_distribution<double> any(-50, 50);
  double sum = 0, steepest = 0;
  constexpr int samples = 20000;
  for (int k = 0; k < samples; ++k) {
    const Vec3 p(any(random), any(random), any(random));
    const recast::NoiseSample here = recast::noise(p, 3);
    REQUIRE(std::abs(here.value) < 1);
    sum += here.value;
    steepest = std::max(steepest, here.gradient.norm());
    if (k >= 500) continue;
    constexpr double h = 1e-6;
    for (int axis = 0; axis < 3; ++axis)
      REQUIRE((recast::noise(p + h * Vec3::Unit(axis), 3).value - recast::noise(p - h * Vec3::Unit(axis), 3).value) / (2 * h) == Approx(here.gradient[axis]).margin(1e-6));
  }
  CHECK(std::abs(sum / samples) < 0.01);
  CHECK(steepest < recast::noise_steepest);
  CHECK(steepest > 1);
}
