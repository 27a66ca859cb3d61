// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/boolean/settle.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <map>
#include <optional>

#include "core/boolean/assemble.h"
#include "core/boolean/cache.h"
#include "core/boolean/combine.h"
#include "core/boolean/contradiction.h"
#include "core/boolean/invalid_triangles.h"
#include "core/boolean/repair.h"
#include "core/mesh/attributes.h"
#include "core/mesh/bvh.h"
#include "core/mesh/edges.h"
#include "core/mesh/nearest.h"
#include "core/mesh/union_find.h"
#include "core/soundness/check.h"

namespace anvil {
namespace {

using namespace boolean;

constexpr Note float_settled{"float_settled", "settled to 32-bit coordinates, no corner moved farther than {1} mm",
                             "settled to 32-bit coordinates in {0} rounds, no corner moved farther than {1} mm"};
constexpr Note left_out_for_floats{"left_out_for_floats", "1 place thinner than 32-bit coordinates hold was left out, or went with what lies beside it; it reached {1} mm beyond what is left",
                                    "{0} places thinner than 32-bit coordinates hold were left out, or went with what lies beside them; they reached up to {1} mm beyond what is left"};
constexpr Note moved_beyond_rounding{"moved_beyond_rounding", "1 vertex moved by more than 8 steps of 32 bits to keep it sound",
                                     "{0} vertices moved by more than 8 steps of 32 bits to keep it sound"};
constexpr Note settling_given_up{"settling_given_up", "settling to 32-bit coordinates was given up after {1} comparisons of faces: write OBJ, PLY or OFF, or recast the part",
                                 "settling to 32-bit coordinates was given up {0} times after {1} comparisons of faces: write OBJ, PLY or OFF, or recast the part"};
constexpr Note touching_opened{"touching_opened", "1 place where it touches itself opened by {1} mm", "{0} places where it touches itself opened by {1} mm"};
constexpr Note touching_left{"touching_left", "1 vertex where it touches itself could not be opened", "{0} vertices where it touches itself could not be opened"};

Vec3 as_float(const Vec3& p) { return p.cast<float>().cast<double>(); }

/// The distance of neighbouring 32-bit numbers at the largest coordinate of a point.
double step_of_floats(const Vec3& p) { return std::ldexp(1.0, std::ilogb(std::max(p.cwiseAbs().maxCoeff(), 1e-30)) - 23); }

/// How far a settled mesh lies from where it came from.
struct Movement {
  double farthest = 0;
  std::size_t beyond = 0;  ///< vertices that moved by more than 8 steps of 32 bits at their place
  std::vector<Vec3> at;    ///< of those, at most OperationReport::max_places
};
/// Measured from the triangles that the faces around each vertex come from, to the nearest of them.
/// @param source  of each face, a face of `from`, which has triangles only
Movement movement(const Mesh& from, const Mesh& settled, std::span<const Index> source) {
  constexpr double never = std::numeric_limits<double>::infinity();
  std::vector<double> distance(settled.positions.size(), never);
  for (std::size_t f = 0; f < settled.face_count(); ++f) {
    if (source[f] == no_index) continue;
    const auto t = from.face(source[f]);
    for (Index v : settled.face(f)) {
      const Vec3& p = settled.positions[v];
      distance[v] = std::min(distance[v], (nearest_on_triangle(p, from.positions[t[0]], from.positions[t[1]], from.positions[t[2]]) - p).norm());
    }
  }
  Movement movement;
  for (std::size_t v = 0; v < distance.size(); ++v) {
    if (distance[v] == never) continue;
    movement.farthest = std::max(movement.farthest, distance[v]);
    if (distance[v] <= 8 * step_of_floats(settled.positions[v])) continue;
    ++movement.beyond;
    if (movement.at.size() < OperationReport::max_places) movement.at.push_back(settled.positions[v]);
  }
  return movement;
}

/// What is no more in a settled mesh.
struct LeftOut {
  double farthest = 0;  ///< any corner that was there before lies from what is left
  std::vector<Vec3> at;  ///< the farthest corner of each place
};
/// Measured from the corners that were there before to what is left; those that hang together count as one place.
LeftOut left_out(const Mesh& from, const Mesh& settled) {
  LeftOut out;
  // Nearly all stand where they stood, but for rounding.
  const auto less = [](const Vec3& p, const Vec3& q) { return std::tie(p.x(), p.y(), p.z()) < std::tie(q.x(), q.y(), q.z()); };
  std::vector<Vec3> stand = settled.positions;
  std::sort(stand.begin(), stand.end(), less);
  std::vector<Index> gone;
  for (Index v = 0; v < from.positions.size(); ++v)
    if (!std::binary_search(stand.begin(), stand.end(), as_float(from.positions[v]), less)) gone.push_back(v);
  if (gone.empty() || settled.empty()) return out;
  const TriangleList list = triangulate(settled);
  const Bvh tree(settled.positions, list.triangles);
  std::vector<double> off(from.positions.size(), 0);
  for (Index v : gone) {
    const double distance = std::sqrt(tree.nearest(settled.positions, list.triangles, from.positions[v]).square);
    out.farthest = std::max(out.farthest, distance);
    if (distance > 8 * step_of_floats(from.positions[v])) off[v] = distance;
  }
  UnionFind joined(from.positions.size());
  for (std::size_t f = 0; f < from.face_count(); ++f) {
    Index last = no_index;
    for (Index v : from.face(f)) {
      if (off[v] == 0) continue;
      if (last != no_index) joined.unite(v, last);
      last = v;
    }
  }
  std::map<Index, Index> farthest;  // of each place
  for (Index v : gone) {
    if (off[v] == 0) continue;
    Index& most = farthest.try_emplace(joined.find(v), v).first->second;
    if (off[v] > off[most]) most = v;
  }
  for (const auto& [place, v] : farthest) out.at.push_back(from.positions[v]);
  return out;
}

struct Try {
  double meet;  ///< what is nearer is made to meet, and thinner goes with its neighbours, before anything is rounded, in steps of 32 bits
  double thin;  ///< what goes with its neighbours where rounding made trouble, likewise
  int level;    ///< of repair
  int passes;   ///< of contact
};
// Rounding first moves things least. What it leaves in a tangle may never have been one, had near things met before.
constexpr Try tries[] = {{0, 4, 0, 1}, {8, 4, 0, 1}, {4, 4, 0, 1}, {16, 4, 0, 1}, {0, 4, 0, 6}, {0, 4, 1, 1},  {0, 4, 1, 6},
                         {0, 4, 2, 1}, {0, 8, 0, 6}, {0, 2, 1, 1}, {0, 8, 1, 1},  {0, 0, 0, 1}, {0, 4, 3, 6}, {64, 4, 0, 1}, {256, 4, 0, 1}};
constexpr double may_vanish = 8;  ///< steps; a solid that is thicker somewhere is never given up as too thin

/// A mesh of triangles in 32-bit coordinates, and the triangle of the mesh before that each comes from.
struct Settled {
  Mesh mesh;
  std::vector<Index> source;
  std::size_t rounds = 0;
};

class Settling {
 public:
  Settling(const Mesh& mesh, OperationReport& report, const FloatSettings& settings, const Control& control)
      : cut_(has_polygons(mesh) ? cut_to_triangles(mesh) : Mesh()), mesh_(has_polygons(mesh) ? cut_ : mesh), report_(report), settings_(settings),
        control_(control) {}

  Mesh run() {
    if (!is_closed()) return plain();
    std::vector<Vec3> left;
    if (std::all_of(mesh_.positions.begin(), mesh_.positions.end(), [](const Vec3& p) { return as_float(p) == p; })) {  // nothing to round
      Mesh result = plain();
      if (open(result, left)) return result;
    }
    if (!prepare_rounded()) return plain();
    // Most meshes are sound once they are rounded, and where they touch themselves there is room to open them. Only what
    // moved is looked at; what collapsed is not there to be looked at.
    if (left.empty() && is_sound_rounded()) {
      Mesh result = plain();
      if (open(result, left)) return result;
    }
    // Most others come to rest at once; where not, it may be that rounding is not what would have to be settled.
    const OperationReport before = report_;
    for (const Try& way : tries) {
      report_ = before;
      if (auto result = way.meet > 0 ? met_and_settled(way) : settled(way, left)) {
        tell_movement(*result);
        if (std::vector<Vec3> ignored; open(result->mesh, ignored)) return std::move(result->mesh);
      }
      if (&way == &tries[0] && !was_sound()) {
        report_ = before;
        return plain();
      }
    }
    report_ = before;
    if (!left.empty()) {
      // Sound, but for the touching places.
      Mesh result = plain();
      const Opened opened = open_touching(result, {settings_.opening, true}, control_);
      tell(opened);
      report_.tell(touching_left, opened.left.size(), "", opened.left);
      return result;
    }
    report_.tell(rounding_not_settled, 1, "");
    return plain();
  }

 private:
  static bool has_polygons(const Mesh& mesh) {
    for (std::size_t f = 0; f < mesh.face_count(); ++f)
      if (mesh.face(f).size() != 3) return true;
    return false;
  }
  /// The mesh as a part of a combination; it is not copied.
  Operand own() const { return {std::shared_ptr<const Mesh>(std::shared_ptr<const Mesh>(), &mesh_), "", Operation::unite, Affine::Identity(), true, {}}; }
  bool is_closed() const {
    const EdgeTable edges = build_edges(mesh_);
    for (std::size_t e = 0; e < edges.size(); ++e)
      if (edges.corners_of(e).size() != 2) return false;
    return true;
  }

  /// Rounded only. Made anew each time, as are others here: they are large.
  Mesh plain() const {
    Mesh mesh = mesh_;
    for (Vec3& p : mesh.positions) p = as_float(p);
    return mesh;
  }
  /// False when the mesh bounds no volume as it is.
  bool prepare_rounded() {
    const auto part = prepare(own(), false, control_);
    if (!part || !(*part)->done.empty()) return false;
    part_ = *part;
    return true;
  }
  /// The part in 32-bit coordinates, with vertices at one position as one.
  Rounded rounded() const {
    Rounded rounded = as_rounded(*part_);
    for (std::size_t v = 0; v < rounded.points.size(); ++v) {
      const Vec3 p = as_float(rounded.points[v]);
      rounded.moved[v] = rounded.inexact[v] = p != rounded.points[v];
      rounded.points[v] = p;
    }
    merge_equal(rounded);
    return rounded;
  }
  /// The part as it is, all of it to be looked at.
  static Rounded as_rounded(const Prepared& part) {
    Rounded rounded;
    rounded.triangles = part.triangles;
    rounded.points = part.points;
    rounded.provenance.resize(rounded.triangles.size());
    for (Index i = 0; i < rounded.provenance.size(); ++i) rounded.provenance[i].origin = i;
    rounded.maybe_non_manifold = part.maybe_non_manifold;
    rounded.moved.assign(rounded.points.size(), 1);
    rounded.inexact.assign(rounded.points.size(), 0);
    return rounded;
  }
  bool was_sound() const { return find_invalid_after_rounding(as_rounded(*part_), control_).empty(); }

  /// What moved is sound and nothing collapsed.
  bool is_sound_rounded() const {
    const Rounded now = rounded();
    return now.triangles.size() == part_->triangles.size() && find_invalid_after_rounding(now, control_).empty();
  }

  /// A solid united with itself is itself, with what is near made to meet: then there is little left for rounding to tangle.
  /// @return nothing when this try does not come out sound; an empty mesh when nothing of the solid is as thick
  std::optional<Settled> met_and_settled(const Try& way) {
    const double extent = std::max(part_->box.lo.cwiseAbs().maxCoeff(), part_->box.hi.cwiseAbs().maxCoeff());
    const auto met = combine({own(), own()}, control_, {way.meet * step_of_floats(Vec3::Constant(extent))});
    const bool vanished = met ? met->mesh.empty() : met.issue().what.starts_with(bounds_nothing);
    if (vanished && way.meet <= may_vanish) return Settled();
    if (!met || vanished) return std::nullopt;
    for (const auto& done : met->report.done)
      if (done.note == &contact_left_out || done.note == &boolean::rounding_not_settled) return std::nullopt;
    OperationReport ignored;
    Settling inner(met->mesh, ignored, settings_, control_);
    if (!inner.prepare_rounded()) return std::nullopt;
    std::optional<Settled> result;
    if (inner.is_sound_rounded()) {
      result = Settled{inner.plain(), {}, 0};
      for (Index f = 0; f < result->mesh.face_count(); ++f) result->source.push_back(f);
    } else {
      result = inner.settled(way, {});
    }
    if (!result) return std::nullopt;
    const std::vector<Index> polygon = triangulate(met->mesh).face;
    for (Index& source : result->source)
      if (source != no_index) source = met->sources.face[polygon[source]];
    carry_attributes(mesh_, result->source, result->mesh);
    return result;
  }

  /// @param also  positions that are looked at whatever rounding did there
  /// @return nothing when this try ends in a contradiction or not sound
  std::optional<Settled> settled(const Try& way, const std::vector<Vec3>& also) {
    StageClock stage(report_, control_);
    Pass pass;
    pass.pieces = 1;
    pass.rounded = rounded();
    const auto& [points, triangles] = std::tie(pass.rounded.points, pass.rounded.triangles);
    std::vector<char> marked(also.empty() ? 0 : triangles.size(), 0);
    for (std::size_t i = 0; i < marked.size(); ++i)
      for (Index v : triangles[i]) marked[i] = marked[i] || std::find(also.begin(), also.end(), points[v]) != also.end();
    try {
      if (!marked.empty()) marked = with_neighbours(points, triangles, marked, control_);
      const double extent = std::max(part_->box.lo.cwiseAbs().maxCoeff(), part_->box.hi.cwiseAbs().maxCoeff());
      const int rounds = repair_rounding(pass, {extent, way.thin, true, way.level, RepairSettings::endless, way.passes}, stage, control_, std::move(marked));
      if (rounds > max_rounds) return std::nullopt;
      BooleanResult result;
      const Operand operand{nullptr, "", Operation::unite, Affine::Identity(), true, {}};
      assemble({part_}, {&operand}, std::move(pass.rounded), {Assembly::triangles}, result, control_);
      carry_attributes(mesh_, result.sources.face, result.mesh);
      // Judged as it will be written: a diagonal of one polygon may be one of another as well.
      const std::vector<Index> polygon = triangulate(result.mesh).face;
      Settled answer{cut_to_triangles(result.mesh), {}, static_cast<std::size_t>(rounds)};
      for (Index f : polygon) answer.source.push_back(result.sources.face[f]);
      result = {};
      if (!answer.mesh.empty() && !is_sound(answer.mesh, {}, 1, control_.stop)) return std::nullopt;
      return answer;
    } catch (const Contradiction&) {
      return std::nullopt;
    }
  }

  void tell_movement(const Settled& result) {
    const Movement moved = movement(mesh_, result.mesh, result.source);
    LeftOut gone = left_out(mesh_, result.mesh);
    report_.moved = std::max({report_.moved, moved.farthest, gone.farthest});
    report_.tell(float_settled, std::max<std::size_t>(1, result.rounds), fmt::format("{:.2g}", moved.farthest));
    if (moved.beyond > 0) report_.tell(moved_beyond_rounding, moved.beyond, "", moved.at);
    if (gone.at.empty()) return;
    const std::size_t count = gone.at.size();
    gone.at.resize(std::min(count, OperationReport::max_places));
    report_.tell(left_out_for_floats, count, fmt::format("{:.2g}", gone.farthest), std::move(gone.at));
  }

  /// Opens touching places where that is asked for. @return false where some are left
  bool open(Mesh& mesh, std::vector<Vec3>& left) {
    if (!settings_.open) return true;
    Opened opened = open_touching(mesh, {settings_.opening, true}, control_);
    left = std::move(opened.left);
    if (!left.empty()) return false;
    tell(opened);
    return true;
  }
  void tell(const Opened& opened) {
    if (opened.places > 0) report_.tell(touching_opened, opened.places, fmt::format("{:.2g}", opened.width), opened.at);
  }

  const Mesh cut_;     ///< the mesh, when it has to be cut into triangles
  const Mesh& mesh_;  ///< of triangles
  OperationReport& report_;
  const FloatSettings& settings_;
  const Control& control_;
  PreparedPtr part_;
};

}  // namespace

Mesh settle_to_float(const Mesh& mesh, OperationReport& report, const FloatSettings& settings, const Control& control) {
  // The hardest that came to rest so far took 620 000 for 65 faces; the most here is some ten seconds' worth and as much as large meshes take at once.
  WorkLimit work{settings.most_work > 0 ? settings.most_work : 20'000'000 + 100 * mesh.face_count()};
  Control bounded = control;
  bounded.work = &work;
  Mesh settled = Settling(mesh, report, settings, bounded).run();
  const bool is_settled = std::none_of(report.done.begin(), report.done.end(), [](const auto& done) { return done.note == &boolean::rounding_not_settled; });
  if (work.done > work.most && !is_settled) report.tell(settling_given_up, 1, fmt::format("{}", work.most));
  return settled;
}

}  // namespace anvil
