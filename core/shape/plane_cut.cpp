// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/shape/plane_cut.h"

#include <algorithm>
#include <chrono>
#include <cmath>

#include "core/shape/clip.h"
#include "core/shape/with_made.h"

namespace anvil {
namespace {

constexpr Note plane_misses{"plane_misses", "the plane does not cut {1}", "the plane does not cut {1}"};

/// A prism with a triangle in the plane, large enough to cover all of the box that lies above. A triangle, since three
/// points always lie exactly in one plane.
Mesh cover_above(const HalfSpace& plane, const Box3& box) {
  const Vec3 centre = plane.projected(box.centre());
  const double radius = box.diagonal() / 2;
  // Far beyond the part, so that its sides come nowhere near; and not a multiple of anything, so that no corner does.
  const double reach = 3.7 * radius, top = 1.3 * (radius + std::max(0.0, plane.height(box.centre())));
  Mesh mesh;
  for (const double up : {0.0, top})
    for (const double turn : {0.37, 0.37 + 2.0943951023931957, 0.37 - 2.0943951023931957})
      mesh.add_vertex(centre + reach * (std::cos(turn) * plane.u() + std::sin(turn) * plane.v()) + up * plane.normal());
  mesh.add_face({0, 2, 1});
  mesh.add_face({3, 4, 5});
  for (Index k = 0; k < 3; ++k) mesh.add_face({k, (k + 1) % 3, 3 + (k + 1) % 3, 3 + k});
  return mesh;
}

/// Two results as the two pieces of one.
BooleanResult both_pieces(BooleanResult above, BooleanResult below) {
  BooleanResult both;
  both.mesh = std::move(above.mesh);
  const auto base = static_cast<Index>(both.mesh.positions.size());
  append_piece(both.mesh, below.mesh);
  both.sources = std::move(above.sources);
  both.piece.assign(both.sources.input.size(), 0);
  for (std::size_t f = 0; f < below.sources.input.size(); ++f) {
    both.sources.add(below.sources.input[f], below.sources.face[f]);
    both.piece.push_back(1);
  }
  both.pieces = 2;
  both.open_on_purpose = above.open_on_purpose;
  both.fresh_edges = std::move(above.fresh_edges);
  for (const auto& [v, w] : below.fresh_edges) both.fresh_edges.push_back({v + base, w + base});
  both.report = std::move(above.report);
  std::erase_if(below.report.done, [&](const auto& done) {
    return std::any_of(both.report.done.begin(), both.report.done.end(), [&](const auto& d) { return d.note == done.note; });
  });
  both.report.add(std::move(below.report));
  return both;
}

class PlaneCut {
 public:
  PlaneCut(const std::shared_ptr<const Mesh>& mesh, const std::string& name, const PlaneCutSettings& settings,
           const Control& control)
      : mesh_(mesh), name_(name), settings_(settings), control_(control), plane_(settings.point, settings.normal) {}

  Result<BooleanResult> run() {
    const Box3 box = bounds(*mesh_);
    if (box.empty()) return Issue{"it has no faces", name_, {}, "leave the cut out"};
    const double tolerance = contact_tolerance();
    double lowest = 0, highest = 0;
    for (Index v : mesh_->corners) {
      const double height = plane_.height(mesh_->positions[v]);
      lowest = std::min(lowest, height);
      highest = std::max(highest, height);
    }
    if (highest <= tolerance || lowest >= -tolerance) return missed(highest <= tolerance);
    tool_ = cover_above(plane_, box);
    return cut(tolerance);
  }

 private:
  double contact_tolerance() const { return anvil::contact_tolerance(settings_.contact, bounds(*mesh_)); }

  Result<BooleanResult> missed(bool all_below) {
    const bool kept = settings_.keep == KeepSide::both || (settings_.keep == KeepSide::below) == all_below;
    BooleanResult result;
    if (kept) {
      result = unchanged_part(*mesh_);
      result.report.tell(plane_misses, 1, name_, {plane_.projected(bounds(*mesh_).centre())});
    } else {
      result.report.empty_reason = all_below ? "the whole part lies below the plane" : "the whole part lies above the plane";
    }
    return result;
  }

  Result<BooleanResult> combined(Operation operation) {
    return combine_with_made({mesh_, name_, settings_.free_of_crossings, settings_.cache}, {{tool_, operation, "the plane", true}}, control_, contact_tolerance());
  }

  /// Both sides are made one by one: a split tells pieces apart by place, of which several may touch on one side.
  Result<BooleanResult> cut(double tolerance) {
    if (settings_.keep != KeepSide::both) return one_side(settings_.keep == KeepSide::above, tolerance);
    Result<BooleanResult> above = one_side(true, tolerance);
    if (!above) return above;
    Result<BooleanResult> below = one_side(false, tolerance);
    if (!below || above->mesh.empty()) return below;  // a sliver may round away
    if (below->mesh.empty()) return above;
    return both_pieces(std::move(*above), std::move(*below));
  }

  Result<BooleanResult> one_side(bool above, double tolerance) {
    if (settings_.cap) return combined(above ? Operation::intersection : Operation::difference);
    return open_side(above, tolerance);
  }

  Result<BooleanResult> open_side(bool above, double tolerance) {
    Result<BooleanResult> result = combined(above ? Operation::trim_outside : Operation::trim_inside);
    if (result || !result.issue().what.starts_with(bounds_nothing)) return result;
    Clipped clipped = clip(*mesh_, plane_, tolerance);
    BooleanResult sheet;
    sheet.mesh = std::move(above ? clipped.above : clipped.below);
    sheet.mesh.origins.clear();
    for (Index f : above ? clipped.above_face : clipped.below_face) sheet.sources.add(0, f);
    sheet.piece.assign(sheet.mesh.face_count(), 0);
    sheet.open_on_purpose = true;
    return sheet;
  }

  const std::shared_ptr<const Mesh>& mesh_;
  const std::string& name_;
  const PlaneCutSettings& settings_;
  const Control& control_;
  HalfSpace plane_;
  Mesh tool_;
};

}  // namespace

Result<BooleanResult> plane_cut(const std::shared_ptr<const Mesh>& mesh, const std::string& name,
                                const PlaneCutSettings& settings, const Control& control) {
  const auto begin = std::chrono::steady_clock::now();
  Result<BooleanResult> result = PlaneCut(mesh, name, settings, control).run();
  if (result) result->report.seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - begin).count();
  return result;
}

}  // namespace anvil
