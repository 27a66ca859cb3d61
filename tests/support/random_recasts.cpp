// SPDX-License-Identifier: GPL-3.0-or-later
#include "tests/support/random_recasts.h"

#include <fmt/format.h>

#include <cmath>

#include "core/recast/recast.h"
#include "tests/support/damage.h"
#include "tests/support/dice.h"
#include "tests/support/judged.h"
#include "tests/support/meshes.h"
#include "tests/support/nearest.h"
#include "tests/support/random_cuts.h"

namespace anvil::test {
namespace {

/// A piece of about size 10, somewhere about the origin.
Mesh piece(Dice& dice) {
  Mesh mesh;
  switch (dice.upto(6)) {
    case 0: mesh = stock("box", {dice.between(1, 12), dice.between(1, 12), dice.between(0.3, 12)}); break;
    case 1: mesh = stock("cylinder", {dice.between(2, 10), dice.between(1, 14), 3.0 + dice.upto(30)}); break;
    case 2: mesh = stock("sphere", {dice.between(2, 12), 6.0 + dice.upto(20), 4.0 + dice.upto(10)}); break;
    case 3: mesh = stock("torus", {dice.between(5, 12), dice.between(1, 4.5), 8.0 + dice.upto(20), 4.0 + dice.upto(10)}); break;
    case 4: mesh = stock("sheet", {dice.between(3, 14), dice.between(3, 14), 1.0 + dice.upto(6), 1.0 + dice.upto(6)}); break;
    default: mesh = in_triangles(body(dice.upto(bodies))); break;
  }
  const Vec3 place = 8 * dice.direction() * dice.share();
  mesh = placed(std::move(mesh), place, {dice.between(0, 360), dice.between(0, 360), dice.between(0, 360)});
  switch (dice.upto(5)) {
    case 0: {  // some faces missing
      std::vector<std::size_t> gone;
      const double share = dice.between(0, 0.4);
      for (std::size_t f = 0; f < mesh.face_count(); ++f)
        if (dice.share() < share) gone.push_back(f);
      if (gone.size() < mesh.face_count()) mesh = without_faces(mesh, gone);
      break;
    }
    case 1: reverse_faces(mesh); break;
    case 2: {  // some faces turned over, in triangles without common corners
      Mesh loose;
      for (std::size_t f = 0; f < mesh.face_count(); ++f)
        for (std::size_t k = 1; k + 1 < mesh.face(f).size(); ++k) {
          const bool turned = dice.upto(8) == 0;
          const auto ring = mesh.face(f);
          const Index a = loose.add_vertex(mesh.positions[ring[0]]), b = loose.add_vertex(mesh.positions[ring[turned ? k + 1 : k]]), c = loose.add_vertex(mesh.positions[ring[turned ? k : k + 1]]);
          loose.add_face({a, b, c});
        }
      mesh = std::move(loose);
      break;
    }
    default: break;
  }
  return mesh;
}

template <class Visit>
void for_samples(const Mesh& mesh, double apart, Dice& dice, Visit visit) {
  for (Index f = 0; f < mesh.face_count(); ++f)
    for (std::size_t k = 1; k + 1 < mesh.face(f).size(); ++k) {
      const Vec3 &a = mesh.positions[mesh.face(f)[0]], &b = mesh.positions[mesh.face(f)[k]], &c = mesh.positions[mesh.face(f)[k + 1]];
      double wanted = (b - a).cross(c - a).norm() / 2 / (apart * apart);
      for (; wanted > 1 || dice.share() < wanted; --wanted) {
        double s = dice.share(), t = dice.share();
        if (s + t > 1) s = 1 - s, t = 1 - t;
        visit(f, Vec3(a + s * (b - a) + t * (c - a)));
        if (wanted < 1) break;
      }
    }
}

}  // namespace

std::string what_is_wrong_with_recast_of(const std::vector<recast::Part>& parts, const RecastSettings& settings) {
  Mesh all;
  bool clouds = false;
  for (const recast::Part& part : parts)
    if (part.mesh->cloud)
      clouds = true;
    else
      append(all, in_triangles(*part.mesh));  // taken as known: how polygons are cut that are not flat
  const std::string which = fmt::format("{} pieces, detail {}{}: ", parts.size(), settings.detail, settings.sharp ? ", sharp" : "");
  const Result<BooleanResult> result = recast_parts(parts, settings);
  if (!result) return which + result.issue().message();
  if (result->mesh.empty()) return {};
  if (const std::string wrong = judged(result->mesh); !wrong.empty()) return which + wrong;
  if (clouds) return {};  // how far a skin should be from points is not said anywhere
  const DistanceToSurface distance(all);
  double farthest = 0;
  Dice dice(1);
  for_samples(result->mesh, settings.detail, dice, [&](Index f, const Vec3& p) {
    if (result->sources.face[f] != no_index) farthest = std::max(farthest, distance(p));
  });
  if (farthest > 0.5 * settings.detail) return which + fmt::format("a point of it lies {} details off the parts", farthest / settings.detail);
  return {};
}

std::string what_is_wrong_with_recast(unsigned seed, double finest) {
  Dice dice(seed);
  std::vector<recast::Part> parts;
  Mesh all;
  const unsigned count = 2 + dice.upto(29);
  for (unsigned k = 0; k < count; ++k) {
    const Mesh mesh = piece(dice);
    append(all, mesh);
    parts.push_back({shared(mesh), fmt::format("piece {}", k)});
  }
  RecastSettings settings;
  settings.detail = bounds(all).diagonal() / (20 * std::pow(finest / 20, dice.share()));
  settings.sharp = dice.upto(3) > 0;
  return what_is_wrong_with_recast_of(parts, settings);
}

std::string what_is_wrong_with_recast_of_damaged(unsigned seed, double finest) {
  Dice dice(seed);
  constexpr std::size_t any = 1'000'000;
  const Body torn = damaged_body(dice, seed, any);
  RecastSettings settings;
  settings.detail = bounds(torn.mesh).diagonal() / (20 * std::pow(finest / 20, dice.share()));
  settings.sharp = dice.upto(2) > 0;
  const std::string wrong = what_is_wrong_with_recast_of({{shared(torn.mesh), torn.name}}, settings);
  return wrong.empty() ? wrong : torn.name + ": " + wrong;
}

Kept kept_by_recast(const Mesh& body, const Mesh& skin, double detail) {
  Kept kept;
  Dice dice(7);
  const double slack = 0.02 * detail;
  const std::vector<Line> wanted = sharp_lines(body, 20);
  const NearestLine found(sharp_lines(skin, 10));
  double length = 0, there = 0;
  for (const Line& line : wanted) {
    const Vec3 way = line.to - line.from;
    const int steps = 1 + static_cast<int>(way.norm() / (0.1 * detail));
    for (int k = 0; k < steps; ++k) {
      const auto near = found(line.from + (k + 0.5) / steps * way, way.normalized(), slack);
      length += way.norm() / steps;
      if (near.distance <= slack && std::abs(near.way.dot(way.normalized())) >= std::cos(2 * std::numbers::pi / 180)) there += way.norm() / steps;
    }
  }
  if (length > 0) kept.edges = there / length;
  const NearestLine edges(wanted);
  const DistanceToSurface to_body(body), to_skin(skin);
  std::size_t points = 0, near = 0;
  const auto off_edges = [&](const Vec3& p) { return edges(p, Vec3::UnitX(), 0).distance > detail; };
  for_samples(skin, 0.5 * detail, dice, [&](Index, const Vec3& p) {
    const double off = to_body(p);
    kept.farthest = std::max(kept.farthest, off / detail);
    if (!off_edges(p)) return;
    ++points;
    near += off <= slack;
  });
  for_samples(body, 0.5 * detail, dice, [&](Index, const Vec3& p) {
    if (!off_edges(p)) return;
    ++points;
    near += to_skin(p) <= slack;
  });
  if (points > 0) kept.surface = static_cast<double>(near) / static_cast<double>(points);
  return kept;
}

std::string what_is_wrong_with_sharp_recast(unsigned seed) {
  // Bodies and their smallest features: walls, steps, facets, and the least distance between edges that are not neighbours. Where curved surfaces cross, edges are as short as they come.
  struct Case {
    unsigned body;
    double feature, edges;
  };
  constexpr Case cases[] = {{0, 10, 0.999}, {1, 10, 0.999}, {4, 15, 0.999}, {7, 6, 0.999}, {16, 5, 0.999}, {18, 4, 0.99}, {19, 2, 0.99}, {12, 5, 0.99}, {13, 5, 0.99}, {15, 5, 0.99}, {24, 1, 0.99},
                            {3, 1.7, 0.99}, {5, 2, 0.99}, {6, 10, 0.99}, {8, 5, 0.99}, {14, 5, 0.99}, {17, 1, 0.99}, {20, 0.8, 0.99}, {21, 1, 0.99}, {22, 2, 0.99}, {23, 1, 0.99}, {25, 2, 0.99}, {26, 1.3, 0.99}};
  const Case& which = cases[seed % std::size(cases)];
  Dice dice(seed);
  const Vec3 place = 5 * dice.direction();
  const Mesh mesh = placed(in_triangles(body(which.body)), place, {dice.between(0, 360), dice.between(0, 360), dice.between(0, 360)});
  RecastSettings settings;
  settings.detail = which.feature / dice.between(4.1, 12);
  const recast::Part part{shared(mesh), "body"};
  const Result<BooleanResult> result = recast_parts({&part, 1}, settings);
  if (!result) return result.issue().message();
  const std::string name = fmt::format("body {} at {}: ", which.body, settings.detail);
  if (const std::string wrong = judged(result->mesh); !wrong.empty()) return name + wrong;
  const Kept kept = kept_by_recast(mesh, result->mesh, settings.detail);
  if (kept.edges < which.edges || kept.surface < 0.99 || kept.farthest > 0.5)
    return name + fmt::format("{} of the edges, {} of the surface, farthest {}", kept.edges, kept.surface, kept.farthest);
  return {};
}

}  // namespace anvil::test
