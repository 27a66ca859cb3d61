// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/shape/ramp.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <numbers>

namespace anvil {
namespace {

constexpr double radians = std::numbers::pi / 180;

/// How far the two legs reach at a place along the edge.
std::array<double, 2> reaches_at(const StraightEdge& edge, const RampSettings& settings, double s) {
  if (!settings.tapered) return {settings.first, settings.second};
  const double share = s / (edge.end - edge.begin).norm();
  return {settings.first + (settings.first_end - settings.first) * share, settings.second + (settings.second_end - settings.second) * share};
}

/// @param lean  degrees, towards the end of the edge
RampSection section_at(const StraightEdge& edge, const RampSettings& settings, double s, double lean) {
  const WedgeLegs legs = wedge_legs(edge, settings);
  const auto [a, b] = reaches_at(edge, settings, s);
  const Vec3 along = edge.along(), origin = edge.begin + s * along, shift = settings.runs_out ? Vec3(0, 0, 0) : Vec3(std::tan(lean * radians) * along);
  return {origin, origin + std::max(0.0, a) * (legs.first + shift), origin + std::max(0.0, b) * (legs.second + shift)};
}

}  // namespace

Result<StraightEdge> straight_edge(const Mesh& mesh, const EdgeTable& edges, std::span<const Index> list) {
  const auto wrong = [](const char* what, std::vector<Vec3> places) { return Issue{what, "", std::move(places), "choose one straight edge between two faces"}; };
  if (list.empty()) return wrong("no edge is chosen", {});
  StraightEdge edge{};
  Vec3 way = Vec3::Zero();
  double low = 0, high = 0;
  for (std::size_t k = 0; k < list.size(); ++k) {
    const auto uses = edges.corners_of(list[k]);
    const auto at = [&](Index c) -> const Vec3& { return mesh.positions[mesh.corners[c]]; };
    const Vec3& v = mesh.positions[edges.vertices[list[k]][0]];
    if (uses.size() != 2 || mesh.corners[uses[0]] == mesh.corners[uses[1]]) return wrong("an edge has not its two faces", {v});
    const Vec3 n = newell_normal(mesh.positions, mesh.face(edges.corner_face[uses[0]])).stableNormalized(),
               m = newell_normal(mesh.positions, mesh.face(edges.corner_face[uses[1]])).stableNormalized();
    if (k == 0) {
      edge.begin = at(uses[0]);
      way = (at(uses[1]) - edge.begin).stableNormalized();
      edge.first_normal = n;
      edge.second_normal = m;
      edge.first_way = n.cross(way);
      edge.second_way = m.cross(-way);
      edge.convex = edge.second_way.dot(n) < 0;
    }
    constexpr double straight = 1e-6;  // radians, about
    for (const Index c : uses) {
      const Vec3 off = at(c) - edge.begin;
      const double along = off.dot(way);
      if ((off - along * way).norm() > straight * (1 + off.norm())) return wrong("the chosen edges do not lie in one line", {at(c)});
      low = std::min(low, along);
      high = std::max(high, along);
    }
    const bool same = (n - edge.first_normal).norm() < 1e-4 || (n - edge.second_normal).norm() < 1e-4;
    if (!same) return wrong("the chosen edges lie between different faces", {v});
  }
  const Vec3 origin = edge.begin;
  edge.begin = origin + low * way;
  edge.end = origin + high * way;
  if (edge.first_way.cross(edge.second_way).norm() < 1e-6) return wrong("the faces beside the edge lie in one plane", {origin});
  return edge;
}

WedgeLegs wedge_legs(const StraightEdge& edge, const RampSettings& settings) {
  const bool in_corner = settings.add != edge.convex;
  return {in_corner || settings.on_first ? edge.first_way : Vec3(-edge.first_way), in_corner || !settings.on_first ? edge.second_way : Vec3(-edge.second_way)};
}

double ramp_corner(const StraightEdge& edge, const RampSettings& settings) {
  const auto [u, v] = wedge_legs(edge, settings);
  return std::atan2(u.cross(v).norm(), u.dot(v)) / radians;
}

RampSection ramp_section(const StraightEdge& edge, const RampSettings& settings, bool at_end) {
  const double length = (edge.end - edge.begin).norm(), gap = settings.runs_out ? 0 : at_end ? settings.end_gap : settings.begin_gap;
  return at_end ? section_at(edge, settings, length - gap, settings.end_angle) : section_at(edge, settings, gap, -settings.begin_angle);
}

Result<Wedge> ramp_wedge(const StraightEdge& edge, const RampSettings& settings, const Box3& part) {
  const double length = (edge.end - edge.begin).norm();
  const double first_end = settings.tapered ? settings.first_end : settings.first, second_end = settings.tapered ? settings.second_end : settings.second;
  const auto nothing = [](const char* what) { return Issue{what, "", {}, "choose larger distances on the two faces"}; };
  if ((settings.first <= 0 || settings.second <= 0) && (first_end <= 0 || second_end <= 0)) return nothing("the ramp has no extent");
  double begin = settings.begin_gap, end = length - settings.end_gap;
  if (settings.runs_out) {
    const double beyond = 1.0213 * part.diagonal();
    begin = -beyond, end = length + beyond;
    // A taper runs out where it comes to nothing.
    for (const auto& [at_begin, at_end] : {std::pair(settings.first, first_end), std::pair(settings.second, second_end)}) {
      if (at_begin == at_end) continue;
      const double zero = length * at_begin / (at_begin - at_end);
      if (at_begin < at_end)
        begin = std::max(begin, zero);
      else
        end = std::min(end, zero);
    }
  }
  if (!(end > begin)) return Issue{"nothing of the edge is left between the gaps at its ends", "", {}, "choose smaller gaps"};
  Wedge wedge;
  const RampSection from = section_at(edge, settings, begin, -settings.begin_angle), to = section_at(edge, settings, end, settings.end_angle);
  std::array<std::array<Index, 3>, 2> at{};
  for (std::size_t side = 0; side < 2; ++side) {
    const RampSection& section = side == 0 ? from : to;
    for (std::size_t k = 0; k < 3; ++k) {
      at[side][k] = no_index;
      for (std::size_t j = 0; j < k; ++j)
        if ((section[k] - section[j]).norm() <= 1e-12 * part.diagonal()) at[side][k] = at[side][j];
      if (at[side][k] == no_index) at[side][k] = wedge.mesh.add_vertex(section[k]);
    }
  }
  const auto add = [&](std::initializer_list<Index> ring) {
    std::vector<Index> face;
    for (Index w : ring)
      if (std::find(face.begin(), face.end(), w) == face.end()) face.push_back(w);
    if (face.size() > 2) wedge.mesh.add_face(face);
  };
  // Seen along the edge the corners of a section run edge, first, second; turned over where that is the other way about.
  add({at[0][0], at[0][1], at[0][2]});
  add({at[1][2], at[1][1], at[1][0]});
  add({at[0][0], at[1][0], at[1][1], at[0][1]});
  add({at[0][2], at[1][2], at[1][0], at[0][0]});
  // The ramp itself is flat where the ratio of its two legs stays the same, and it leans the same way at both ends.
  const Vec3 normal = (to[1] - from[1]).cross(from[2] - from[1]);
  const double off = normal.norm() > 0 ? std::abs((to[2] - from[1]).dot(normal.normalized())) : 0;
  wedge.is_flat = off <= 1e-9 * part.diagonal();
  if (wedge.is_flat) {
    add({at[0][1], at[1][1], at[1][2], at[0][2]});
  } else if (at[0][1] == at[0][0] || at[1][2] == at[1][0]) {
    // Parted so that nothing folds onto a leg where the other one comes to nothing.
    add({at[0][2], at[0][1], at[1][1]});
    add({at[0][2], at[1][1], at[1][2]});
  } else {
    add({at[0][1], at[1][1], at[1][2]});
    add({at[0][1], at[1][2], at[0][2]});
  }
  if (signed_volume(wedge.mesh) < 0) reverse_faces(wedge.mesh);
  return wedge;
}

Result<BooleanResult> ramp_cut(const Workpiece& part, const StraightEdge& edge, const RampSettings& settings, const Control& control) {
  Result<Wedge> wedge = ramp_wedge(edge, settings, bounds(*part.mesh));
  if (!wedge) return wedge.issue();
  return combine_with_made(part, {{std::move(wedge->mesh), settings.add ? Operation::unite : Operation::difference, "the ramp"}}, control,
                           contact_for(*part.mesh, std::max(std::min(settings.first, settings.second), std::min(settings.first_end, settings.second_end))));
}

}  // namespace anvil
