// SPDX-License-Identifier: GPL-3.0-or-later
#include "tests/support/random_prisms.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <random>

#include "core/boolean/combine.h"
#include "tests/support/meshes.h"
#include "tests/support/random_solids.h"
#include "tests/support/referee.h"

namespace anvil::test {

Mesh walls(const Outline& outline, int height, int lean) {
  Mesh mesh;
  std::vector<std::array<int, 2>> corners = outline;
  std::sort(corners.begin(), corners.end());
  corners.erase(std::unique(corners.begin(), corners.end()), corners.end());
  const auto count = static_cast<Index>(corners.size());
  for (const int z : {0, height})
    for (const auto& [x, y] : corners) mesh.add_vertex(Vec3(x + (z > 0 ? lean : 0), y, z));
  auto at = [&](std::size_t k) {
    const auto& corner = outline[k % outline.size()];
    return static_cast<Index>(std::lower_bound(corners.begin(), corners.end(), corner) - corners.begin());
  };
  std::vector<Index> floor, roof;
  for (std::size_t k = 0; k < outline.size(); ++k) {
    roof.push_back(at(k) + count);
    floor.push_back(at(outline.size() - 1 - k));
    const Index a = at(k), b = at(k + 1);
    bool is_slit = false;
    for (std::size_t j = 0; j < outline.size(); ++j) is_slit = is_slit || (at(j) == b && at(j + 1) == a);
    if (!is_slit) mesh.add_face({a, b, b + count, a + count});
  }
  mesh.add_face(floor);
  mesh.add_face(roof);
  return mesh;
}

namespace {

Outline random_outline(std::mt19937& random) {
  auto below = [&](unsigned n) { return static_cast<int>(random() % n); };
  Outline outline;
  switch (random() % 4) {
    case 0: {  // a skyline
      const int n = 3 + below(4);
      outline = {{0, 0}, {2 * n, 0}};
      int last = 0;
      for (int k = n; k-- > 0;) {
        int h = 0;
        do h = 2 + 2 * below(5);
        while (h == last);
        outline.push_back({2 * k + 2, h});
        outline.push_back({2 * k, h});
        last = h;
      }
      break;
    }
    case 1: {  // a star about (6, 6): points in the order of their angles, no two in one direction
      while (outline.size() < 10) {
        const std::array<int, 2> p{below(13), below(13)};
        const bool taken = std::any_of(outline.begin(), outline.end(), [&](const auto& q) {
          return (p[0] - 6) * (q[1] - 6) == (p[1] - 6) * (q[0] - 6) && (p[0] - 6) * (q[0] - 6) + (p[1] - 6) * (q[1] - 6) >= 0;
        });
        if (!taken && !(p[0] == 6 && p[1] == 6)) outline.push_back(p);
      }
      auto angle = [](const auto& p) { return std::atan2(p[1] - 6, p[0] - 6); };
      std::sort(outline.begin(), outline.end(), [&](const auto& p, const auto& q) { return angle(p) < angle(q); });
      for (std::size_t k = 0; k < outline.size(); ++k) {  // the middle has to lie inside
        const auto &p = outline[k], &q = outline[(k + 1) % outline.size()];
        if ((p[0] - 6) * (q[1] - 6) - (p[1] - 6) * (q[0] - 6) <= 0) return random_outline(random);
      }
      break;
    }
    case 2:  // two squares that touch at a corner
      outline = {{0, 0}, {6, 0}, {6, 6}, {12, 6}, {12, 12}, {6, 12}, {6, 6}, {0, 6}};
      break;
    default: {  // a frame, with a slit from its outer to its inner border
      const int a = 2 + below(2), b = 8 + below(3);
      outline = {{0, 0}, {12, 0}, {12, 12}, {0, 12}, {0, 0}, {a, a}, {a, b}, {b, b}, {b, a}, {a, a}};
    }
  }
  // Corners in the middle of straight sides.
  Outline with_middles;
  const bool some = random() % 3 == 0;
  for (std::size_t k = 0; k < outline.size(); ++k) {
    const auto &p = outline[k], &q = outline[(k + 1) % outline.size()];
    with_middles.push_back(p);
    if (some && (p[0] + q[0]) % 2 == 0 && (p[1] + q[1]) % 2 == 0) with_middles.push_back({(p[0] + q[0]) / 2, (p[1] + q[1]) / 2});
  }
  return with_middles;
}

/// A prism over a random outline, on whole numbers, standing along any axis.
Mesh random_prism(std::mt19937& random) {
  Mesh mesh = walls(random_outline(random), 2 + 2 * static_cast<int>(random() % 4), random() % 3 == 0 ? 2 : 0);
  const int turns = static_cast<int>(random() % 3);
  const Vec3 by(static_cast<double>(random() % 9), static_cast<double>(random() % 9), static_cast<double>(random() % 9));
  for (Vec3& p : mesh.positions) {
    for (int k = 0; k < turns; ++k) p = Vec3(p.z(), p.x(), p.y());
    p += by;
  }
  return mesh;
}

/// What differs between the same combination of polygons and of triangles.
/// @param nearly  they are nearly flush: then the volume may, by the tolerance
std::string difference(const Mesh& a, const Mesh& b, const Mesh& c, Operation operation, std::optional<double> contact, bool nearly) {
  auto together = [&](auto&& form) {
    return combine({{shared(form(a)), "a"}, {shared(form(b)), "b", operation}, {shared(form(c)), "c", operation}}, {}, {contact});
  };
  const auto polygons = together([](const Mesh& mesh) { return mesh; }), triangles = together([](const Mesh& mesh) { return in_triangles(mesh); });
  if (!polygons || !triangles) return "refused";
  for (const auto& done : polygons->report.done)
    for (const char* key : {"contact_left_out", "put_on_grid", "tools_nudged", "rounding_not_settled", "skins_left_out"})
      if (done.note->key == std::string(key)) return key;
  if (polygons->mesh.empty() != triangles->mesh.empty()) return "one is empty";
  if (polygons->mesh.empty()) return "";
  const Judgement one = judge(in_triangles(polygons->mesh)), other = judge(in_triangles(triangles->mesh));
  if (!one.sound()) return "not sound";
  if (!other.sound()) return "not sound in triangles";
  if (std::abs(one.volume - other.volume) > (nearly ? 1e-4 : 1e-9) * other.volume) return fmt::format("volumes {} and {}", one.volume, other.volume);
  // Of what is nearly flush a bridge thinner than the tolerance may or may not be left.
  return nearly || one.shells == other.shells ? "" : fmt::format("{} and {} shells", one.shells, other.shells);
}

/// How long the lines are that scoring the first with the others draws.
double drawn(const Mesh& a, const Mesh& b, const Mesh& c, std::optional<double> contact) {
  const auto result = combine({{shared(a), "a"}, {shared(b), "b", Operation::score}, {shared(c), "c", Operation::score}}, {}, {contact});
  double length = 0;
  for (const auto& [from, to] : result->fresh_edges) length += (result->mesh.positions[from] - result->mesh.positions[to]).norm();
  return length;
}

}  // namespace

std::string what_is_wrong_with_prisms(unsigned seed) {
  std::mt19937 random(seed);
  const Mesh a = random_prism(random), b = random_prism(random), c = random_prism(random);
  if (std::string wrong = what_is_wrong(a, b); !wrong.empty()) return wrong;
  for (const std::optional<double> contact : {std::optional<double>(), std::optional<double>(0)})
    for (const Operation operation : {Operation::unite, Operation::difference, Operation::intersection})
      if (const std::string wrong = difference(a, b, c, operation, contact, false); !wrong.empty())
        return fmt::format("{}{}: {}", key_of(operation), contact == 0 ? " without contact" : "", wrong);
  // Where faces lie on each other, lines that only cut them into triangles are not drawn; which there are depends on contact.
  if (const double with = drawn(a, b, c, {}), without = drawn(a, b, c, 0); std::abs(with - without) > 1e-6 * without)
    return fmt::format("score draws {} with contact and {} without", with, without);
  // Nearly flush, as rounding or a sloppy hand leaves it.
  const Mesh near = placed(b, std::pow(10.0, -6 - static_cast<int>(random() % 5)) * Vec3(1, random() % 2, -static_cast<double>(random() % 2)));
  for (const Operation operation : {Operation::unite, Operation::difference, Operation::intersection})
    if (const std::string wrong = difference(a, near, c, operation, {}, true); !wrong.empty()) return fmt::format("nearly flush, {}: {}", key_of(operation), wrong);
  return "";
}

}  // namespace anvil::test
