// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/recast/rounded_strip.h"

#include <algorithm>
#include <cmath>
#include <numbers>
#include <numeric>

namespace anvil::recast {

RoundedStrip::RoundedStrip(const Mesh& mesh, double sharper_than, double reach, Strips strips) : mesh_(mesh), edges_(build_edges(mesh)), faces_(mesh) {
  first_.assign(mesh.positions.size() + 1, 0);
  for (Index v : mesh.corners) ++first_[v + 1];
  std::partial_sum(first_.begin(), first_.end(), first_.begin());
  at_vertex_.resize(mesh.corners.size());
  std::vector<Index> next(first_.begin(), first_.end() - 1);
  for (Index f = 0; f < mesh.face_count(); ++f)
    for (Index v : mesh.face(f)) at_vertex_[next[v]++] = f;
  std::vector<double> lengths;
  for (const auto& [v, w] : edges_.vertices) lengths.push_back((mesh.positions[v] - mesh.positions[w]).norm());
  if (!lengths.empty()) {
    std::nth_element(lengths.begin(), lengths.begin() + static_cast<std::ptrdiff_t>(lengths.size() / 2), lengths.end());
    usual_ = lengths[lengths.size() / 2];
  }
  if (!(usual_ > 0)) usual_ = 1;  // nothing has any extent
  constexpr double usual_reach = 4;  // edges
  reach_ = reach > 0 ? reach : usual_reach * usual_;
  find(sharper_than, strips);
}

/// Faces that most of their neighbours agree with lie on a surface, where that is three faces wide: what is narrower is the strip along an edge. Vertices that have no face on a surface are in
/// the strip.
void RoundedStrip::find(double sharper_than, Strips strips) {
  constexpr double most = 0.65;
  const double alike = std::cos(0.4 * sharper_than * std::numbers::pi / 180);
  std::vector<char> agrees(mesh_.face_count(), 0), amid(mesh_.face_count(), 0);
  for (Index f = 0; f < mesh_.face_count(); ++f) {
    double neighbours = 0, agree = 0;
    for (Index c = mesh_.face_offsets[f]; c < mesh_.face_offsets[f + 1]; ++c) {
      const Index e = edges_.corner_edge[c];
      if (e == no_index) continue;
      for (Index use : edges_.corners_of(e)) {
        const Index g = edges_.corner_face[use];
        if (g == f) continue;
        ++neighbours;
        agree += faces_.normals[f].dot(faces_.normals[g]) > alike;
      }
    }
    agrees[f] = agree >= most * neighbours;
    amid[f] = std::all_of(mesh_.face(f).begin(), mesh_.face(f).end(), [&](Index v) { return std::all_of(faces_at(v).begin(), faces_at(v).end(), [&](Index g) { return faces_.normals[f].dot(faces_.normals[g]) > alike; }); });
  }
  reliable_ = amid;
  for (Index f = 0; f < mesh_.face_count(); ++f)
    for (Index v : mesh_.face(f))
      for (Index g : faces_at(v)) reliable_[f] = reliable_[f] || (agrees[f] && amid[g] && faces_.normals[f].dot(faces_.normals[g]) > alike);
  strip_.assign(mesh_.positions.size(), 1);
  for (Index f = 0; f < mesh_.face_count(); ++f)
    for (Index v : mesh_.face(f)) strip_[v] = strip_[v] && !reliable_[f];
  beside_.assign(mesh_.positions.size(), 0);
  if (strips == Strips::bare) {
    find_across(sharper_than);
    for (const auto& edge : across_)
      for (Index v : edge) beside_[v] = 1;
  }
  for (Index v = 0; v < strip_.size(); ++v)
    if (faces_at(v).empty()) strip_[v] = 0;
  constexpr int rings = 3;
  for (int ring = 0; ring < rings; ++ring) {
    std::vector<char> more = beside_;
    for (Index f = 0; f < mesh_.face_count(); ++f)
      if (std::any_of(mesh_.face(f).begin(), mesh_.face(f).end(), [&](Index v) { return strip_[v] || beside_[v]; }))
        for (Index v : mesh_.face(f)) more[v] = !strip_[v];
    beside_ = std::move(more);
  }
  // Borders, and edges where other than two faces meet, stay.
  for (Index e = 0; e < edges_.size(); ++e)
    if (edges_.corners_of(e).size() != 2)
      for (Index v : edges_.vertices[e]) strip_[v] = beside_[v] = 0;
}

void RoundedStrip::find_across(double sharper_than) {
  const double alike = std::cos(sharper_than * std::numbers::pi / 180);
  const auto on_one_surface = [&](Index v, Index w) {
    for (Index f : faces_at(v))
      for (Index g : faces_at(w))
        if (reliable_[f] && reliable_[g] && faces_.normals[f].dot(faces_.normals[g]) > alike) return true;
    return false;
  };
  for (Index e = 0; e < edges_.size(); ++e) {
    const auto& [v, w] = edges_.vertices[e];
    const auto uses = edges_.corners_of(e);
    if (strip_[v] || strip_[w] || uses.size() != 2 || reliable_[edges_.corner_face[uses[0]]] || reliable_[edges_.corner_face[uses[1]]]) continue;
    if (!on_one_surface(v, w)) across_.push_back({v, w});
  }
}

std::vector<std::vector<Index>> RoundedStrip::pieces_around(Index v) const {
  const Vec3& at = mesh_.positions[v];
  Marks& marks = marks_.local();
  marks.number.resize(mesh_.face_count(), 0);
  const std::uint32_t seen = marks.next, near_by = seen + 1, in_piece = seen + 2;
  marks.next += 3;
  std::vector<Index> near, waiting(faces_at(v).begin(), faces_at(v).end());
  for (Index f : waiting) marks.number[f] = seen;
  while (!waiting.empty()) {
    const Index f = waiting.back();
    waiting.pop_back();
    if (reliable_[f]) near.push_back(f), marks.number[f] = near_by;
    for (Index w : mesh_.face(f)) {
      if ((mesh_.positions[w] - at).norm() > reach_) continue;
      for (Index g : faces_at(w))
        if (marks.number[g] < seen && (faces_.middles[g] - at).norm() <= reach_) marks.number[g] = seen, waiting.push_back(g);
    }
  }
  std::sort(near.begin(), near.end());
  std::vector<std::vector<Index>> pieces;
  for (Index start : near) {
    if (marks.number[start] == in_piece) continue;
    pieces.emplace_back();
    std::vector<Index> open{start};
    marks.number[start] = in_piece;
    while (!open.empty()) {
      const Index f = open.back();
      open.pop_back();
      pieces.back().push_back(f);
      for (Index c = mesh_.face_offsets[f]; c < mesh_.face_offsets[f + 1]; ++c) {
        const Index e = edges_.corner_edge[c];
        if (e == no_index) continue;
        for (Index use : edges_.corners_of(e))
          if (const Index g = edges_.corner_face[use]; marks.number[g] == near_by) marks.number[g] = in_piece, open.push_back(g);
      }
    }
  }
  return pieces;
}

}  // namespace anvil::recast
