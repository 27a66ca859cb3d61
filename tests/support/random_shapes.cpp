// SPDX-License-Identifier: GPL-3.0-or-later
#include "tests/support/random_shapes.h"

#include <fmt/format.h>

#include <random>

#include "core/shape/mirror.h"
#include "core/shape/plane_cut.h"
#include "tests/support/judged.h"
#include "tests/support/meshes.h"
#include "tests/support/random_solids.h"
#include "tests/support/referee.h"
#include "tests/support/told.h"

namespace anvil::test {
namespace {

/// Says what is wrong with a closed result as strangers read it: in triangles.
/// One piece of a result as a mesh.
Mesh piece_of(const BooleanResult& result, Index piece) {
  std::vector<std::size_t> gone;
  for (std::size_t f = 0; f < result.mesh.face_count(); ++f)
    if (result.piece[f] != piece) gone.push_back(f);
  return without_faces(result.mesh, gone);
}

/// Half the sum of the cross products of a polygon's corners: the area of a flat one (elementary), by nothing of ours.
double area_of(const Mesh& mesh, std::size_t f) {
  Vec3 sum = Vec3::Zero();
  const auto ring = mesh.face(f);
  const Vec3& origin = mesh.positions[ring[0]];
  for (std::size_t k = 1; k + 1 < ring.size(); ++k) sum += (mesh.positions[ring[k]] - origin).cross(mesh.positions[ring[k + 1]] - origin);
  return sum.norm() / 2;
}
double area_of(const Mesh& mesh) {
  double area = 0;
  for (std::size_t f = 0; f < mesh.face_count(); ++f) area += area_of(mesh, f);
  return area;
}

/// Random points must lie in the copy just where they lie in the solid or in its image. CGAL tells.
std::string copy_is_wrong(const Mesh& solid, const Mesh& image, const Mesh& copy) {
  const Inside in_solid(solid), in_image(image), in_copy(copy);
  Box3 box = bounds(solid);
  box.add(bounds(image));
  std::mt19937 random(17);
  for (int k = 0; k < 300; ++k) {
    Vec3 p;
    for (Eigen::Index axis = 0; axis < 3; ++axis) p[axis] = box.lo[axis] + box.size()[axis] * static_cast<double>(random()) / 4294967296.0;
    if (in_copy(p) != (in_solid(p) || in_image(p))) return fmt::format("copy: wrong at {}, {}, {}", p.x(), p.y(), p.z());
  }
  return {};
}

/// How far corners of a mesh's polygons lie off their planes, at most.
double bend(const Mesh& mesh) {
  double most = 0;
  for (std::size_t f = 0; f < mesh.face_count(); ++f) {
    const auto ring = mesh.face(f);
    Vec3 normal = Vec3::Zero(), centre = Vec3::Zero();
    for (std::size_t k = 0; k < ring.size(); ++k) {
      const Vec3& p = mesh.positions[ring[k]];
      normal += (p - mesh.positions[ring[0]]).cross(mesh.positions[ring[(k + 1) % ring.size()]] - mesh.positions[ring[0]]);
      centre += p / static_cast<double>(ring.size());
    }
    if (normal.norm() == 0) continue;
    for (Index v : ring) most = std::max(most, std::abs((mesh.positions[v] - centre).dot(normal.normalized())));
  }
  return most;
}

bool near(double a, double b, double slack) { return std::abs(a - b) <= slack; }

std::string cuts(const std::shared_ptr<const Mesh>& solid, const Vec3& point, const Vec3& normal, double& below_volume, bool& moved) {
  const double whole = judge(in_triangles(*solid)).volume;
  double sides[2] = {0, 0};
  for (KeepSide side : {KeepSide::below, KeepSide::above}) {
    const char* name = side == KeepSide::below ? "below" : "above";
    const auto closed = plane_cut(solid, "solid", {point, normal, side, true});
    const auto open = plane_cut(solid, "solid", {point, normal, side, false});
    if (!closed || !open) return fmt::format("{}: {}", name, (closed ? open : closed).issue().message());
    moved = moved || told(closed->report, "made_to_meet");
    if (const std::string wrong = judged(name, closed->mesh); !wrong.empty()) return wrong;
    if (closed->mesh.empty() && closed->report.empty_reason.empty()) return fmt::format("{}: empty without a reason", name);
    if (!closed->mesh.empty()) sides[side == KeepSide::above] = judge(in_triangles(closed->mesh)).volume;
    // The cap is all that an open cut lacks.
    double walls = 0;
    for (std::size_t f = 0; f < closed->mesh.face_count(); ++f)
      if (closed->sources.face[f] != no_index) walls += area_of(closed->mesh, f);
    if (!near(walls, area_of(open->mesh), 1e-5 * (walls + area_of(*solid))))
      return fmt::format("{}: area {} without the cap, {} open", name, walls, area_of(open->mesh));
  }
  const double slack = 1e-9 * std::abs(whole) + (moved ? 4e-6 * bounds(*solid).diagonal() * area_of(*solid) : 0);
  if (!near(sides[0] + sides[1], whole, slack)) return fmt::format("halves of {} and {} from {}", sides[0], sides[1], whole);
  below_volume = sides[0];
  const auto both = plane_cut(solid, "solid", {point, normal, KeepSide::both, true});
  if (!both) return fmt::format("both: {}", both.issue().message());
  if (both->pieces == 1) return both->report.done.empty() ? "both: one piece, no reason" : std::string();
  for (Index piece : {0u, 1u}) {
    const Mesh part = piece_of(*both, piece);
    if (const std::string wrong = judged(piece == 0 ? "piece above" : "piece below", part); !wrong.empty()) return wrong;
    const double volume = part.empty() ? 0 : judge(in_triangles(part)).volume;
    if (!near(volume, sides[piece == 0], slack)) return fmt::format("piece {} of {} instead of {}", piece, volume, sides[piece == 0]);
  }
  return {};
}

std::string mirrors(const std::shared_ptr<const Mesh>& solid, const Vec3& point, const Vec3& normal, double below_volume, bool moved) {
  const double slack = 4e-6 * bounds(*solid).diagonal() * area_of(*solid);
  for (MirrorHow how : {MirrorHow::half, MirrorHow::copy}) {
    const char* name = how == MirrorHow::half ? "half" : "copy";
    MirrorSettings settings;
    settings.point = point;
    settings.normal = normal;
    settings.how = how;
    settings.weld = 0;
    const auto result = mirror(solid, "solid", settings);
    if (!result) return fmt::format("{}: {}", name, result.issue().message());
    if (const std::string wrong = judged(name, result->result.mesh); !wrong.empty()) return wrong;
    if (result->result.mesh.empty() != (how == MirrorHow::half && below_volume == 0) && !moved)
      return fmt::format("{}: empty or not, against what lies below", name);
    if (result->result.mesh.empty()) continue;
    if (!result->soundness.sound) return fmt::format("{}: sound for CGAL, not sound for us", name);
    const double volume = judge(in_triangles(result->result.mesh)).volume;
    if (how == MirrorHow::half) {
      const OperationReport& report = result->result.report;
      const bool put = moved || told(report, "put_on_plane") || told(report, "made_to_meet") || told(report, "tools_nudged") || told(report, "put_on_grid");
      // Polygons that contact has bent are cut into triangles one way in the half and another in its image.
      const double exact = 1e-11 * volume + 4 * bend(*solid) * area_of(*solid) + 1e-14 * std::pow(bounds(*solid).diagonal(), 3);
      if (!near(volume, 2 * below_volume, put ? slack : exact)) return fmt::format("half: {} from {}", volume, below_volume);
    } else {
      // In triangles, as strangers read it: how a polygon that contact has bent is cut decides what lies inside.
      const Mesh whole = in_triangles(*solid);
      Mesh image = whole;
      const Vec3 n = normal.normalized();
      for (Vec3& p : image.positions) p -= 2 * (p - point).dot(n) * n;
      for (std::size_t f = 0; f < image.face_count(); ++f)
        std::reverse(image.corners.begin() + image.face_offsets[f], image.corners.begin() + image.face_offsets[f + 1]);
      if (const std::string wrong = copy_is_wrong(whole, image, in_triangles(result->result.mesh)); !wrong.empty())
        return wrong;
    }
  }
  return {};
}

}  // namespace

std::string what_is_wrong_with_shapes(unsigned seed) {
  std::mt19937 random(seed);
  const auto any = [&] { return static_cast<double>(random()) / 2147483648.0 - 1; };
  const auto [a, b] = random_pair(seed);
  const auto joined = combine({{shared(a), "a"}, {shared(b), "b", Operation::unite}});
  if (!joined) return joined.issue().message();
  const auto solid = shared(joined->mesh);
  Vec3 normal(any(), any(), any());
  if (const unsigned axis = random() % 5; axis < 3) normal = Vec3::Unit(axis);  // often along faces
  if (normal.norm() < 1e-3) normal = Vec3(0, 0, 1);
  const Vec3 point = random() % 2 == 0 ? bounds(*solid).centre() : Vec3(solid->positions[random() % solid->positions.size()]);
  double below_volume = 0;
  bool moved = false;
  if (const std::string wrong = cuts(solid, point, normal, below_volume, moved); !wrong.empty()) return wrong;
  return mirrors(solid, point, normal, below_volume, moved);
}

}  // namespace anvil::test
