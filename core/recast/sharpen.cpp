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
  Sharpener(const Mesh& mesh, const SharpenSettings& settings, const Control& control) : mesh_(mesh), settings_(settings), control_(control), strip_(mesh, settings.sharper_than, settings.reach) {}

  /// @param stay  per vertex: it is not to be moved
  Sharpened sharpen(const std::vector<char>& stay) {
    Sharpened made;
    MovedVertices moved{mesh_.positions, std::vector<std::vector<Vec3>>(mesh_.positions.size())};
    tbb::parallel_for(tbb::blocked_range<Index>(0, static_cast<Index>(stay.size()), 64), [&](const auto& range) {
      check_stop(control_);
      for (Index v = range.begin(); v < range.end(); ++v)
        if ((strip_.on_strip(v) || strip_.beside(v)) && !stay[v]) move(v, moved);
    });
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

 private:
  void move(Index v, MovedVertices& moved) const {
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
      if (is_bent) moved.stand(v, at - sides[0].height * sides[0].normal, {sides[0].normal});
      return;
    }
    if (sides.size() >= 3) {
      Eigen::Matrix3d rows;
      Vec3 heights;
      for (Eigen::Index k = 0; k < 3; ++k) rows.row(k) = sides[static_cast<std::size_t>(k)].normal, heights[k] = -sides[static_cast<std::size_t>(k)].height;
      // In the corner where that lies in the vertex's own cell; of its neighbours no other is moved there.
      if (std::abs(rows.determinant()) > 0.05) {
        to = rows.inverse() * heights;
        if (to.cwiseAbs().maxCoeff() <= usual) return moved.stand(v, at + to, {sides[0].normal, sides[1].normal, sides[2].normal});
      }
      sides.resize(2);
    }
    // The nearest point of the line in which two meet.
    const double c = sides[0].normal.dot(sides[1].normal), a = sides[0].height, b = sides[1].height, det = 1 - c * c;
    to = -((a - c * b) / det * sides[0].normal + (b - c * a) / det * sides[1].normal);
    if (to.norm() > 1.2 * farthest) return;
    moved.stand(v, at + to, {sides[0].normal, sides[1].normal});
  }

  const Mesh& mesh_;
  const SharpenSettings& settings_;
  const Control& control_;
  const RoundedStrip strip_;
};

}  // namespace

Sharpened sharpen(const Mesh& mesh, const std::string& name, const SharpenSettings& settings, const Control& control) {
  Sharpener sharpener(mesh, settings, control);
  const bool was_sound = is_sound(mesh, {}, 1, control.stop);
  std::vector<char> stay(mesh.positions.size(), 0);
  constexpr int rounds = 6;
  Sharpened made;
  std::size_t wanted = 0;
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
  made.report.tell(edges_sharpened, made.moved, name);
  if (made.moved < wanted) made.report.tell(vertices_left_round, wanted - made.moved, name);
  return made;
}

}  // namespace anvil
