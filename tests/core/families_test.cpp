// SPDX-License-Identifier: GPL-3.0-or-later
// Families of degenerate pairs, each at many seeded placements, sizes and distances from the origin, with and without
// contact. What both have in common is known in closed form; all else follows by inclusion and exclusion.
#include <fmt/format.h>
#include <tbb/parallel_for.h>

#include <random>

#include "core/boolean/combine.h"
#include "core/soundness/check.h"
#include "tests/support/meshes.h"
#include "tests/support/random_chains.h"
#include "tests/support/referee.h"

using namespace anvil;
using namespace anvil::test;

namespace {

struct DegeneratePair {
  std::string name;
  Mesh a, b;
  double volume_a, volume_b, common;
};

Mesh box(double x, double y, double z, const Vec3& at = Vec3::Zero(), const Vec3& angles = Vec3::Zero()) {
  return placed(stock("box", {x, y, z}), at, angles);
}

/// A tetrahedron with one corner at the origin, the others at height 4 on a triangle of area 8: volume 32/3.
Mesh spike(const Vec3& tip) {
  Mesh mesh;
  for (const Vec3& p : {Vec3(0, 0, 0), Vec3(2, -2, 4), Vec3(2, 2, 4), Vec3(-2, 0, 4)}) mesh.add_vertex(p + tip);
  mesh.add_face({0, 2, 1});
  mesh.add_face({0, 3, 2});
  mesh.add_face({0, 1, 3});
  mesh.add_face({1, 2, 3});
  return mesh;
}

Mesh together(Mesh one, const Mesh& other) {
  append(one, other);
  return one;
}
Mesh inside_out(Mesh mesh) {
  reverse_faces(mesh);
  return mesh;
}

/// @param k  number of the placement, by which some families vary
std::vector<DegeneratePair> degenerate_pairs(int k) {
  std::vector<DegeneratePair> all;
  auto add = [&](const std::string& name, Mesh a, Mesh b, double volume_a, double volume_b, double common) {
    all.push_back({name, std::move(a), std::move(b), volume_a, volume_b, common});
  };
  const double disc = polygon_area(12, 5);
  const Mesh cylinder = stock("cylinder", {10, 20, 12}), block = box(10, 10, 10), plate = box(20, 20, 10);
  add("identical parts", cylinder, cylinder, 20 * disc, 20 * disc, 20 * disc);
  add("a shared face", block, box(10, 10, 10, {10, 0, 0}), 1000, 1000, 0);
  add("part of a face flush, outside", plate, box(6, 6, 4, {3, 2, 7}), 4000, 144, 0);
  add("part of a face flush, inside", plate, box(6, 6, 4, {3, 2, 3}), 4000, 144, 144);
  add("three faces flush", plate, box(6, 6, 4, {7, 7, 3}), 4000, 144, 144);
  add("as long as the part is thick", plate, box(6, 6, 10, {3, 2, 0}), 4000, 360, 360);
  add("edge on edge", block, box(10, 10, 10, {10, 10, 0}), 1000, 1000, 0);
  add("edge across edge", block, box(10, 10, 10, {10, 10, 3}), 1000, 1000, 0);
  add("corner on corner", block, box(10, 10, 10, {10, 10, 10}), 1000, 1000, 0);
  add("vertex on face", block, spike({1, 2, 5}), 1000, 32.0 / 3, 0);
  add("vertex on edge", block, spike({5, 2, 5}), 1000, 32.0 / 3, 0);
  add("vertex on vertex", block, spike({5, 5, 5}), 1000, 32.0 / 3, 0);
  add("coaxial equal cylinders", cylinder, placed(cylinder, {0, 0, 8}), 20 * disc, 20 * disc, 12 * disc);
  add("turned onto its own corners", cylinder, placed(cylinder, {0, 0, 8}, {0, 0, 30.0 * k}), 20 * disc, 20 * disc, 12 * disc);
  add("flush and turned about the face", plate, box(6, 6, 4, {1, 1, 7}, {0, 0, 30.0 * k}), 4000, 144, 0);
  add("sunk flush and turned about the face", plate, box(6, 6, 4, {1, 1, 3}, {0, 0, 30.0 * k}), 4000, 144, 144);
  add("self-crossing part", together(block, box(10, 10, 10, {5, 5, 5})), box(6, 6, 6, {2.5, 2.5, 2.5}), 1875, 216,
      2 * 5.5 * 5.5 * 5.5 - 125);
  add("nested shells", together(block, inside_out(box(6, 6, 6))), box(8, 8, 8, {5, 0, 0}), 784, 512, 4 * 64 - 2 * 36);
  add("doubled faces", together(block, block), box(10, 10, 10, {5, 5, 5}), 1000, 1000, 125);
  add("inside out", inside_out(block), box(10, 10, 10, {5, 5, 5}), 1000, 1000, 125);
  return all;
}

/// @return "" when all combinations of the two, placed by `by`, are sound and have their volumes
std::string what_is_wrong(const DegeneratePair& family, const Affine& by, std::optional<double> contact) {
  struct Case {
    const char* what;
    const Mesh &part, &tool;
    Operation operation;
    double volume;
  };
  const Case cases[]{
      {"A + B", family.a, family.b, Operation::unite, family.volume_a + family.volume_b - family.common},
      {"B + A", family.b, family.a, Operation::unite, family.volume_a + family.volume_b - family.common},
      {"A - B", family.a, family.b, Operation::difference, family.volume_a - family.common},
      {"B - A", family.b, family.a, Operation::difference, family.volume_b - family.common},
      {"A * B", family.a, family.b, Operation::intersection, family.common}};
  const double unit = by.linear().determinant();
  for (const Case& c : cases) {
    auto say = [&](const std::string& what) { return fmt::format("{}, {}, {} contact: {}", family.name, c.what, contact ? "without" : "with", what); };
    const auto result = combine({{shared(c.part), "first", Operation::unite, by}, {shared(c.tool), "second", c.operation, by}}, {}, {contact});
    if (!result) return say(result.issue().message());
    // Without contact, what rounding has opened or closed may stay as a skin without a volume to speak of.
    if (c.volume == 0 && contact != 0 && !result->mesh.empty()) return say("is not empty");
    if (c.volume != 0 && result->mesh.empty()) return say("is empty");
    if (result->mesh.empty()) continue;
    if (!check_soundness(result->mesh).sound) return say("is not sound");
    if (!judge(in_triangles(result->mesh)).sound()) return say("is not sound to CGAL");
    const double off = std::abs(signed_volume(result->mesh) / unit - c.volume);
    if (off > 1e-9 * (family.volume_a + family.volume_b)) return say(fmt::format("volume off by {:.2g}", off));
    if (const double thin = thinnest_shell(result->mesh); contact != 0 && thin < contact_share * bounds(result->mesh).diagonal())
      return say(fmt::format("has a shell of thickness {:.2g}", thin));
  }
  return "";
}

}  // namespace

TEST_CASE("families of degenerate pairs come out sound and with their volumes at every placement") {
  constexpr int placements = 12;
  std::vector<std::pair<DegeneratePair, Affine>> cases;
  std::mt19937 random(20261125);
  std::uniform_real_distribution<double> any(-1, 1);
  for (int k = 0; k < placements; ++k) {
    // Multiples of 30 degrees about odd axes, then any angles; sizes and distances over twelve decades.
    const Vec3 angles = k < 6 ? Vec3(30.0 * k, 60.0 * k, 90.0 * k) : Vec3(180 * any(random), 180 * any(random), 180 * any(random));
    const double scale = std::pow(10.0, k % 3 == 0 ? 0 : 6 * any(random));
    const Vec3 shift = 100 * scale * Vec3(any(random), any(random), any(random));
    const Affine by = Eigen::Translation3d(shift) * Eigen::Scaling(scale) * Placement{Vec3::Zero(), angles, Vec3::Ones()}.matrix();
    for (DegeneratePair& family : degenerate_pairs(k)) cases.emplace_back(std::move(family), by);
  }
  std::vector<std::string> wrong(2 * cases.size());
  tbb::parallel_for(std::size_t{0}, wrong.size(), [&](std::size_t n) {
    const auto& [family, by] = cases[n / 2];
    wrong[n] = what_is_wrong(family, by, n % 2 == 0 ? std::optional<double>() : 0);
  });
  for (std::size_t n = 0; n < wrong.size(); ++n) {
    INFO("placement " << n / 2 / (cases.size() / placements));
    CHECK(wrong[n] == "");
  }
}

TEST_CASE("flush boxes that are off by 0 to 1e-5 of their size come out sound at every placement") {
  std::mt19937 random(7);
  std::uniform_real_distribution<double> any(-1, 1);
  for (int k = 0; k < 8; ++k)
    for (const double offset : {0.0, 1e-15, 1e-12, 1e-9, 1e-7, 1e-5}) {
      CAPTURE(k, offset);
      const Affine by = Placement{{50 * any(random), 50 * any(random), 50 * any(random)}, {180 * any(random), 30.0 * k, 180 * any(random)}, Vec3::Ones()}.matrix();
      const Vec3 off = 10 * offset * Vec3(any(random), any(random), any(random));
      const Mesh a = box(10, 10, 10), b = box(6, 6, 6, Vec3(1, 1, 8) + off), c = box(6, 6, 6, Vec3(1, 1, 2) + off);
      for (const std::optional<double> contact : {std::optional<double>(), std::optional<double>(0)})
        for (const auto& [tool, operation, volume] : {std::tuple(&b, Operation::unite, 1216.0), std::tuple(&b, Operation::difference, 1000.0),
                                                      std::tuple(&c, Operation::unite, 1000.0), std::tuple(&c, Operation::difference, 784.0),
                                                      std::tuple(&c, Operation::intersection, 216.0)}) {
          const auto result = combine({{shared(a), "A", Operation::unite, by}, {shared(*tool), "B", operation, by}}, {}, {contact});
          REQUIRE(result);
          CHECK(check_soundness(result->mesh).sound);
          CHECK(judge(in_triangles(result->mesh)).sound());
          CHECK(std::abs(signed_volume(result->mesh) - volume) < 1e-9 + 200 * 10 * offset);
          if (contact != 0) CHECK(thinnest_shell(result->mesh) > contact_share * bounds(result->mesh).diagonal());
        }
    }
}
