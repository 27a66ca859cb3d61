// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/recast/edge_gaps.h"

#include <algorithm>
#include <map>
#include <tuple>

#include "core/mesh/edges.h"
#include "core/modify/lead.h"
#include "core/modify/onto_sides.h"
#include "core/soundness/check.h"

namespace anvil::recast {
namespace {

/// Where an edge stops, and the way on.
struct Stop {
  Index vertex;
  Vec3 at, way;
};

double turn_between(const WorkedTriangles& work, Index v, Index w) {
  for (Index t : work.fan(v)) {
    const Index c = work.corner_of(t, v);
    if (work.at(next_in_triangle(c)) == w && work.opposite(c) != no_index) return work.turn(c);
  }
  return 0;
}

/// Vertices with one sharp edge.
std::vector<Stop> stops_of(const WorkedTriangles& work, const std::vector<std::array<Index, 2>>& edges, double sharper_than) {
  std::map<Index, std::vector<Index>> at;
  for (const auto& [v, w] : edges)
    if (std::max(turn_between(work, v, w), turn_between(work, w, v)) > sharper_than) at[v].push_back(w), at[w].push_back(v);
  std::vector<Stop> stops;
  for (const auto& [v, others] : at)
    if (others.size() == 1) {
      // By the vertex before last, where there is one: a single edge may point aside.
      Index from = others[0];
      const auto& before = at.at(from);
      if (before.size() == 2) from = before[0] == v ? before[1] : before[0];
      stops.push_back({v, work.positions[v], (work.positions[v] - work.positions[from]).stableNormalized()});
    }
  return stops;
}

constexpr double far = 40;   // edges: the longest gap
constexpr double reach = 2;  // edges: how far beside an edge the surface is rounded

/// Where three stops look at one place: each with the vertex nearest to that.
std::vector<std::array<Index, 2>> meeting(const WorkedTriangles& work, const std::vector<Stop>& stops, double usual, std::vector<char>& used) {
  constexpr double aside = 0.5, behind = 1.5, alike = 1;  // edges
  struct Meeting {
    std::size_t other;
    Vec3 at;
    double length;
  };
  // By twos: where the lines come nearest to each other, ahead of both.
  std::vector<std::vector<Meeting>> of(stops.size());
  for (std::size_t i = 0; i < stops.size(); ++i)
    for (std::size_t j = i + 1; j < stops.size(); ++j) {
      const Vec3 between = stops[j].at - stops[i].at;
      const double c = stops[i].way.dot(stops[j].way), det = 1 - c * c;
      if (between.norm() > far * usual || det < 0.1) continue;
      const double a = (between.dot(stops[i].way) - c * between.dot(stops[j].way)) / det, b = (c * between.dot(stops[i].way) - between.dot(stops[j].way)) / det;
      const Vec3 p = stops[i].at + a * stops[i].way, q = stops[j].at + b * stops[j].way;
      if ((p - q).norm() > aside * usual || std::min(a, b) < -behind * usual || std::max(a, b) > far * usual) continue;
      of[i].push_back({j, (p + q) / 2, std::max(a, b)});
    }
  std::vector<std::tuple<double, std::size_t, std::size_t, std::size_t, Vec3>> corners;
  for (std::size_t i = 0; i < stops.size(); ++i)
    for (const Meeting& one : of[i])
      for (const Meeting& other : of[i])
        if (one.other < other.other && (one.at - other.at).norm() < alike * usual)
          for (const Meeting& third : of[one.other])
            if (third.other == other.other && (third.at - one.at).norm() < alike * usual)
              corners.emplace_back(std::max({one.length, other.length, third.length}), i, one.other, other.other, (one.at + other.at + third.at) / 3);
  std::sort(corners.begin(), corners.end(), [](const auto& a, const auto& b) { return std::tie(std::get<0>(a), std::get<1>(a), std::get<2>(a), std::get<3>(a)) < std::tie(std::get<0>(b), std::get<1>(b), std::get<2>(b), std::get<3>(b)); });
  std::vector<std::array<Index, 2>> all;
  for (const auto& [length, i, j, k, at] : corners) {
    if (used[i] || used[j] || used[k]) continue;
    Index nearest = no_index;
    for (Index v = 0; v < work.positions.size(); ++v)
      if (!work.fan(v).empty() && (nearest == no_index || (work.positions[v] - at).squaredNorm() < (work.positions[nearest] - at).squaredNorm())) nearest = v;
    constexpr double close = 1.5;
    if ((work.positions[nearest] - at).norm() > close * usual) continue;
    for (std::size_t stop : {i, j, k}) {
      used[stop] = 1;
      if (stops[stop].vertex != nearest) all.push_back({stops[stop].vertex, nearest});
    }
  }
  return all;
}

/// Stops that look at each other, the nearest first, each once: over a short way about, over a long one straight.
std::vector<std::array<Index, 2>> facing(const std::vector<Stop>& stops, double usual, std::vector<char>& used) {
  constexpr double near = 16;                     // edges
  constexpr double ahead = 0.7, straight = 0.98;  // cosines
  std::vector<std::tuple<double, std::size_t, std::size_t>> found;
  for (std::size_t i = 0; i < stops.size(); ++i)
    for (std::size_t j = i + 1; j < stops.size(); ++j) {
      const Vec3 between = stops[j].at - stops[i].at;
      const double length = between.norm(), least = length > near * usual ? straight : ahead;
      if (length > 0 && length <= far * usual && stops[i].way.dot(between) >= least * length && -stops[j].way.dot(between) >= least * length) found.emplace_back(length, i, j);
    }
  std::sort(found.begin(), found.end());
  std::vector<std::array<Index, 2>> all;
  for (const auto& [length, i, j] : found) {
    if (used[i] || used[j]) continue;
    used[i] = used[j] = 1;
    all.push_back({stops[i].vertex, stops[j].vertex});
  }
  return all;
}

bool is_near(const std::vector<Vec3>& places, const Vec3& p, double within) {
  return std::any_of(places.begin(), places.end(), [&](const Vec3& q) { return (p - q).norm() < within; });
}

/// Where a mesh is not sound.
std::vector<Vec3> flaws_of(const Mesh& mesh, const Control& control) {
  const SoundnessReport report = check_soundness(mesh, control.stop);
  std::vector<Vec3> places;
  if (report.sound) return places;
  for (const FamilyReport& family : report.families)
    if (family.family->role == FamilyRole::defect)
      for (const Defect& defect : family.defects) places.push_back(defect.position);
  return places;
}

}  // namespace

ClosedGaps close_edge_gaps(const Mesh& mesh, const std::vector<std::array<Index, 2>>& edges, double sharper_than, double usual, bool keep_sound, const Control& control) {
  constexpr double held = 50;           // degrees
  constexpr double most_of_it = 0.7;    // has to be sharp afterwards
  std::vector<std::array<Index, 2>> gaps;
  {
    const WorkedTriangles work(mesh);
    const std::vector<Stop> stops = stops_of(work, edges, sharper_than);
    std::vector<char> used(stops.size(), 0);
    gaps = meeting(work, stops, usual, used);
    for (const auto& gap : facing(stops, usual, used)) gaps.push_back(gap);
  }
  // What does not become sharp is no gap: the others once more without it.
  for (;;) {
    check_stop(control);
    WorkedTriangles work(mesh);
    ClosedGaps closed;
    std::vector<std::pair<std::array<Index, 2>, Line>> lines;
    for (const std::array<Index, 2>& gap : gaps) {
      check_stop(control);
      const Result<std::vector<Index>> led = lead(work, gap, 1, held);
      if (!led) continue;
      lines.emplace_back(gap, pairs(*led));
      closed.edges.insert(closed.edges.end(), lines.back().second.begin(), lines.back().second.end());
    }
    if (closed.edges.empty()) return closed;
    onto_sides(work, closed.edges, reach * usual);
    closed.mesh = work.finish();
    const std::vector<Vec3> flaws = keep_sound ? flaws_of(closed.mesh.mesh, control) : std::vector<Vec3>();
    std::vector<std::array<Index, 2>> good;
    for (const auto& [gap, line] : lines) {
      double length = 0, sharp_length = 0;
      bool beside_flaw = false;
      for (const auto& [v, w] : line) {
        const double one = (work.positions[v] - work.positions[w]).norm();
        length += one;
        if (std::max(turn_between(work, v, w), turn_between(work, w, v)) > sharper_than) sharp_length += one;
        beside_flaw = beside_flaw || is_near(flaws, work.positions[v], 2 * reach * usual);
      }
      if (sharp_length >= most_of_it * length && !beside_flaw) good.push_back(gap);
    }
    if (good.size() == lines.size()) return flaws.empty() ? closed : ClosedGaps();
    gaps = std::move(good);
  }
}

EditedMesh settle_edges(const Mesh& mesh, const std::vector<std::array<Index, 2>>& edges, double sharper_than, double usual, bool keep_sound, const Control& control) {
  Line line;
  {
    const WorkedTriangles work(mesh);
    for (const auto& [v, w] : edges)
      if (std::max(turn_between(work, v, w), turn_between(work, w, v)) > sharper_than) line.push_back({v, w});
  }
  while (!line.empty()) {
    check_stop(control);
    WorkedTriangles work(mesh);
    onto_sides(work, line, reach * usual);
    EditedMesh settled = work.finish();
    const std::vector<Vec3> flaws = keep_sound ? flaws_of(settled.mesh, control) : std::vector<Vec3>();
    if (flaws.empty()) return settled;
    const std::size_t before = line.size();
    std::erase_if(line, [&](const auto& edge) { return is_near(flaws, mesh.positions[edge[0]], 2 * reach * usual); });
    if (line.size() == before) break;
  }
  return MeshEditor(mesh).finish();
}

}  // namespace anvil::recast
