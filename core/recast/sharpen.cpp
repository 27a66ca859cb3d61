// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/recast/sharpen.h"

#include <tbb/blocked_range.h>
#include <tbb/parallel_for.h>

#include <Eigen/LU>
#include <algorithm>
#include <cmath>
#include <numbers>

#include "core/mesh/attributes.h"
#include "core/mesh/edges.h"
#include "core/recast/divide_strips.h"
#include "core/recast/edge_gaps.h"
#include "core/recast/edge_triangles.h"
#include "core/recast/rounded_strip.h"
#include "core/soundness/check.h"

namespace anvil {
namespace {

using namespace recast;

constexpr Note edges_sharpened{"edges_sharpened", "1 vertex was moved on to a sharp edge", "{0} vertices were moved on to sharp edges", Note::Place::card};
constexpr Note vertices_left_round{"vertices_left_round", "1 vertex stays rounded: moving it would make faces cross", "{0} vertices stay rounded: moving them would make faces cross"};

class Sharpener {
 public:
  Sharpener(const Mesh& mesh, const SharpenSettings& settings, Strips strips, const Control& control) : mesh_(mesh), settings_(settings), control_(control), strip_(mesh, settings.sharper_than, settings.reach, strips), goes_{mesh.positions, std::vector<std::vector<Vec3>>(mesh.positions.size())} {
    tbb::parallel_for(tbb::blocked_range<Index>(0, static_cast<Index>(mesh.positions.size()), 64), [&](const auto& range) {
      check_stop(control_);
      for (Index v = range.begin(); v < range.end(); ++v)
        if (strip_.on_strip(v) || strip_.beside(v)) move(v);
    });
  }

  /// @param stay  per vertex: it is not to be moved
  Sharpened sharpen(const std::vector<char>& stay) const {
    Sharpened made;
    PlacedVertices moved = goes_;
    for (Index v = 0; v < stay.size(); ++v)
      if (stay[v]) moved.stand(v, mesh_.positions[v], {});
    for (const auto& sides : moved.sides) made.moved += sides.size() > 1;
    // What lies beside an edge is drawn flat for its sake alone.
    if (made.moved == 0) moved = {mesh_.positions, std::vector<std::vector<Vec3>>(mesh_.positions.size())};
    EdgeTriangles edge_triangles(mesh_, moved, strip_.usual_edge(), control_);
    edge_triangles.settle();
    std::vector<Index> number(mesh_.positions.size(), no_index), old;
    std::vector<Index> ring;
    const auto add_face = [&](std::span<const Index> face, Index source) {
      ring.clear();
      for (Index v : face) {
        if (number[v] == no_index) number[v] = made.mesh.add_vertex(moved.to[v]), old.push_back(v);
        ring.push_back(number[v]);
      }
      made.mesh.add_face(ring);
      made.source.push_back(source);
    };
    if (made.moved == 0)
      for (Index v = 0; v < number.size(); ++v) number[v] = made.mesh.add_vertex(mesh_.positions[v]), old.push_back(v);  // as it was, vertices that no face has and all
    for (Index f = 0; f < mesh_.face_count(); ++f)
      if (!edge_triangles.replaces(f)) add_face(mesh_.face(f), f);
    for (std::size_t t = 0; t < edge_triangles.triangles().size(); ++t) add_face(edge_triangles.triangles()[t], edge_triangles.sources()[t]);
    carry_attributes(mesh_, made.source, made.mesh);
    made.mesh.origins.clear();
    for (const auto& [v, w] : build_edges(made.mesh).vertices)
      if (moved.is_edge(old[v], old[w])) made.edges.push_back({v, w});
    return made;
  }

  /// Which vertices of the mesh take part in a flaw of what was made of it.
  void mark_old(const Sharpened& made, const SoundnessReport& report, std::vector<char>& stay) const {
    const auto mark = [&](Index face) {
      for (Index v : mesh_.face(made.source[face])) stay[v] = 1;
    };
    std::vector<char> at_flaw(made.mesh.positions.size(), 0);
    for (const FamilyReport& family : report.families) {
      if (family.family->role != FamilyRole::defect) continue;
      for (const Defect& defect : family.defects) {
        for (Index f : defect.faces) mark(f);
        for (const auto& edge : defect.edges)
          for (Index v : edge) at_flaw[v] = 1;
        for (Index v : defect.vertices) at_flaw[v] = 1;
      }
    }
    for (Index f = 0; f < made.mesh.face_count(); ++f)
      for (Index v : made.mesh.face(f))
        if (at_flaw[v]) mark(f);
  }

  /// Edges led over gaps, and all put where their sides meet as told from beyond the strip. Vertices keep their numbers.
  void complete(Sharpened& made) const {
    constexpr double share = 0.8;  // of the angle: what an edge next to a gap turns by at least
    const double sharp = share * settings_.sharper_than;
    const auto take = [&](EditedMesh mesh) {
      for (Index& f : mesh.source) f = made.source[f];
      made.source = std::move(mesh.source);
      made.mesh = std::move(mesh.mesh);
    };
    ClosedGaps closed = close_edge_gaps(made.mesh, made.edges, sharp, strip_.usual_edge(), made.is_sound, control_);
    if (!closed.edges.empty()) take(std::move(closed.mesh));
    made.edges.insert(made.edges.end(), closed.edges.begin(), closed.edges.end());
    take(settle_edges(made.mesh, made.edges, sharp, strip_.usual_edge(), made.is_sound, control_));
  }

  const std::vector<std::array<Index, 2>>& edges_across() const { return strip_.edges_across(); }

  /// Those of which neither end is moved on to the sharp edge.
  std::vector<std::array<Index, 2>> edges_to_divide() const {
    std::vector<std::array<Index, 2>> across = strip_.edges_across();
    std::erase_if(across, [&](const auto& edge) { return goes_.sides[edge[0]].size() > 1 || goes_.sides[edge[1]].size() > 1; });
    return across;
  }

 private:
  void move(Index v) {
    const Vec3& at = mesh_.positions[v];
    const double least = std::cos(settings_.sharper_than * std::numbers::pi / 180), usual = strip_.usual_edge(), farthest = 1.1 * usual;
    std::vector<Side> sides;
    for (const std::vector<Index>& piece : strip_.pieces_around(v)) {
      const Side side = carried_on(strip_.faces(), piece, at, usual);
      if (std::abs(side.height) > farthest) continue;
      // Two pieces of one surface are one side.
      const auto same = std::find_if(sides.begin(), sides.end(), [&](const Side& s) { return s.normal.dot(side.normal) > least; });
      if (same == sides.end())
        sides.push_back(side);
      else if (side.faces > same->faces)
        *same = side;
    }
    if (sides.empty()) return;
    std::stable_sort(sides.begin(), sides.end(), [](const Side& a, const Side& b) { return std::abs(a.height) < std::abs(b.height); });
    Vec3 to;
    // What only lies beside the edge is put on its own side, from which a grid bends it a little.
    constexpr double bent = 0.3;
    constexpr double on_it = 0.15, on_both = 0.35;
    const bool is_bent = std::abs(sides[0].height) <= bent * usual;
    const bool of_one = sides.size() == 1 || std::abs(sides[0].height) <= on_it * usual || std::abs(sides[1].height) > on_both * usual;
    if ((strip_.beside(v) && is_bent && of_one) || sides.size() == 1) {
      if (is_bent) goes_.stand(v, at - sides[0].height * sides[0].normal, {sides[0].normal});
      return;
    }
    if (sides.size() >= 3) {
      Eigen::Matrix3d rows;
      Vec3 heights;
      for (Eigen::Index k = 0; k < 3; ++k) rows.row(k) = sides[static_cast<std::size_t>(k)].normal, heights[k] = -sides[static_cast<std::size_t>(k)].height;
      // In the corner where that lies in the vertex's own cell; of its neighbours no other is moved there.
      if (std::abs(rows.determinant()) > 0.05) {
        to = rows.inverse() * heights;
        if (to.cwiseAbs().maxCoeff() <= usual) return goes_.stand(v, at + to, {sides[0].normal, sides[1].normal, sides[2].normal});
      }
      sides.resize(2);
    }
    // The nearest point of the line in which two meet.
    const double c = sides[0].normal.dot(sides[1].normal), a = sides[0].height, b = sides[1].height, det = 1 - c * c;
    to = -((a - c * b) / det * sides[0].normal + (b - c * a) / det * sides[1].normal);
    // The two faces of a thin wall meet nowhere.
    if (!(det > 1e-3) || to.norm() > 1.2 * farthest) return;
    goes_.stand(v, at + to, {sides[0].normal, sides[1].normal});
  }

  const Mesh& mesh_;
  const SharpenSettings& settings_;
  const Control& control_;
  const RoundedStrip strip_;
  PlacedVertices goes_;  ///< where each vertex goes, if it may
};

/// @param wanted  counts vertices, before any had to stay
Sharpened sharpen_in_rounds(const Mesh& mesh, const Sharpener& sharpener, bool was_sound, std::size_t& wanted, const Control& control) {
  std::vector<char> stay(mesh.positions.size(), 0);
  constexpr int rounds = 6;
  Sharpened made;
  for (int round = 0;; ++round) {
    made = sharpener.sharpen(stay);
    wanted = std::max(wanted, made.moved);
    if (!was_sound || made.moved == 0) break;
    const SoundnessReport report = check_soundness(made.mesh, control.stop);
    made.is_sound = report.sound;
    if (report.sound) break;
    // What takes part in a flaw stays where it was; at last all of it.
    sharpener.mark_old(made, report, stay);
    if (round == rounds) std::fill(stay.begin(), stay.end(), 1);
  }
  if (made.moved == 0)
    made.is_sound = was_sound;
  else
    sharpener.complete(made);
  return made;
}

}  // namespace

Sharpened sharpen(const Mesh& mesh, const std::string& name, const SharpenSettings& settings, const Control& control) {
  const bool was_sound = is_sound(mesh, {}, 1, control.stop);
  std::size_t wanted = 0;
  Sharpened made = sharpen_in_rounds(mesh, Sharpener(mesh, settings, Strips::with_vertices, control), was_sound, wanted, control);
  if (const Sharpener bare(mesh, settings, Strips::bare, control); bare.edges_across().size() > made.moved) {
    const DividedStrips divided = divide_strips(mesh, bare.edges_to_divide());
    std::size_t more_wanted = 0;
    Sharpened more = sharpen_in_rounds(divided.mesh, Sharpener(divided.mesh, settings, Strips::bare, control), was_sound, more_wanted, control);
    for (Index& f : more.source) f = divided.source[f];
    if (more.moved > made.moved) made = std::move(more), wanted = more_wanted;
  }
  made.report.tell(edges_sharpened, made.moved, name);
  if (made.moved < wanted) made.report.tell(vertices_left_round, wanted - made.moved, name);
  return made;
}

}  // namespace anvil
