// SPDX-License-Identifier: GPL-3.0-or-later
// Sharp edges led on and evened out by hand.
#include <algorithm>
#include <map>
#include <set>
#include <utility>

#include "core/modify/edge_line.h"
#include "core/modify/lead.h"
#include "core/modify/measure.h"
#include "core/modify/onto_sides.h"
#include "core/soundness/check.h"

namespace anvil {
namespace {

void tell_stayed(Edited& out, std::vector<Vec3> stayed) {
  if (!stayed.empty()) out.why_left = "faces would turn over there";
  out.left = std::move(stayed);
}

/// Edges in runs, from end to end; a closed one begins and ends with one vertex. Runs end where other than two of the edges meet.
/// Throws Stopped.
std::vector<std::vector<Index>> runs_of(const Topology& topology, std::span<const Index> edges, const Control& control) {
  std::map<Index, std::vector<Index>> at;  // edges at a vertex
  for (Index e : edges) {
    check_stop(control);
    for (Index v : topology.edges.vertices[e]) at[v].push_back(e);
  }
  std::vector<char> used(topology.edges.size(), 0);
  std::vector<std::vector<Index>> runs;
  const auto follow = [&](Index v, Index e) {
    std::vector<Index> run{v};
    while (!std::exchange(used[e], 1)) {
      check_stop(control);
      v = topology.other_end(e, v);
      run.push_back(v);
      if (at[v].size() != 2) break;
      e = at[v][0] == e ? at[v][1] : at[v][0];
    }
    runs.push_back(std::move(run));
  };
  for (const auto& [v, list] : at)
    if (list.size() != 2)
      for (Index e : list)
        if (!used[e]) follow(v, e);
  for (Index e : edges)
    if (!used[e]) follow(topology.edges.vertices[e][0], e);
  return runs;
}

/// Parts runs at their corners: where the course of some edges before and of some behind differ, and no longer do some edges away. A zigzag is none, nor is a bend.
std::vector<std::vector<Index>> parted_at_corners(const std::vector<Vec3>& positions, std::vector<std::vector<Index>> runs) {
  constexpr std::size_t some = 4;
  constexpr double least = 40;  // degrees
  std::vector<std::vector<Index>> parts;
  for (std::vector<Index>& run : runs) {
    const bool closed = run.front() == run.back();
    const std::size_t count = run.size() - (closed ? 1 : 0);
    if (count < 2 * some + 1) {
      parts.push_back(std::move(run));
      continue;
    }
    const auto at = [&](std::size_t k, std::ptrdiff_t by) -> const Vec3& {
      const auto n = static_cast<std::ptrdiff_t>(count);
      const std::ptrdiff_t place = static_cast<std::ptrdiff_t>(k) + by;
      return positions[run[static_cast<std::size_t>(closed ? (place % n + n) % n : std::clamp<std::ptrdiff_t>(place, 0, n - 1))]];
    };
    const auto bend = [&](std::size_t k) { return angle_between(at(k, 0) - at(k, -static_cast<std::ptrdiff_t>(some)), at(k, some) - at(k, 0)); };
    std::vector<std::size_t> corners;
    for (std::size_t k = closed ? 0 : 1; k < (closed ? count : count - 1); ++k) {
      const double here = bend(k);
      const auto other = [&](std::ptrdiff_t by) {
        const std::ptrdiff_t place = static_cast<std::ptrdiff_t>(k) + by, n = static_cast<std::ptrdiff_t>(count);
        if (!closed && (place < 1 || place > n - 2)) return 0.0;
        return bend(static_cast<std::size_t>((place % n + n) % n));
      };
      if (here > least && other(-static_cast<std::ptrdiff_t>(some)) < here / 2 && other(some) < here / 2 && other(-1) <= here && other(1) < here) corners.push_back(k);
    }
    if (corners.empty()) {
      parts.push_back(std::move(run));
      continue;
    }
    if (closed) {
      run.pop_back();
      std::rotate(run.begin(), run.begin() + static_cast<std::ptrdiff_t>(corners[0]), run.end());
      run.push_back(run.front());
      for (std::size_t k = corners.size(); k-- > 0;) corners[k] -= corners[0];
      corners.erase(corners.begin());
    }
    corners.push_back(run.size() - 1);
    std::size_t begin = 0;
    for (std::size_t corner : corners) {
      parts.emplace_back(run.begin() + static_cast<std::ptrdiff_t>(begin), run.begin() + static_cast<std::ptrdiff_t>(corner) + 1);
      begin = corner;
    }
  }
  return parts;
}

Result<Edited> led(const Mesh& mesh, std::span<const Index> vertices, const EdgeSettings& settings, const Control& control) {
  WorkedTriangles work(mesh, control);
  const double reach = reach_of(work, vertices, settings.reach);
  const Result<std::vector<Index>> line = lead(work, vertices, settings.bend, settings.to_sides ? held_loosely : held_strictly);
  if (!line) return line.issue();
  Edited out;
  out.done = line->size() - 1;
  if (settings.to_sides) tell_stayed(out, onto_sides(work, pairs(*line), reach));
  out.mesh = work.finish();
  return out;
}

Edited evened(const Mesh& mesh, const Topology& topology, std::span<const Index> edges, Index passes, const EdgeSettings& settings, const Control& control) {
  WorkedTriangles work(mesh, control);
  std::vector<Vec3> normals;
  for (const Triangle& t : work.triangles()) normals.push_back(work.normal(t).stableNormalized());
  Line line;
  std::vector<Index> vertices;
  std::map<Index, Vec3> before;
  for (const std::vector<Index>& run : parted_at_corners(mesh.positions, runs_of(topology, edges, control))) {
    work.hear_stop();
    const bool closed = run.front() == run.back();
    const std::size_t count = run.size() - (closed ? 1 : 0), first = closed ? 0 : 1, end = closed ? count : count - 1;
    std::vector<Vec3> at;
    for (std::size_t k = 0; k < count; ++k) at.push_back(work.positions[run[k]]);
    // Passes that shrink and then grow a little more than they shrank keep what is longer than some ten edges.
    constexpr double shrink = 0.5, grow = -0.53;
    for (Index pass = 0; pass < passes; ++pass) {
      work.hear_stop();
      for (double weight : {shrink, grow}) {
        const std::vector<Vec3> old = at;
        for (std::size_t k = first; k < end; ++k) at[k] = old[k] + weight * ((old[(k + count - 1) % count] + old[(k + 1) % count]) / 2 - old[k]);
      }
    }
    for (std::size_t k = first; k < end; ++k) {
      if (work.on_border(run[k])) continue;
      before[run[k]] = work.positions[run[k]];
      work.positions[run[k]] = at[k];
    }
    const Line part = pairs(run);
    line.insert(line.end(), part.begin(), part.end());
    vertices.insert(vertices.end(), run.begin(), run.end());
  }
  // What would turn a triangle over goes half of the way, and half of that.
  constexpr int halvings = 6;
  constexpr double upright = 0.2;
  std::vector<Vec3> stayed;
  for (int round = 0; round <= halvings; ++round) {
    work.hear_stop();
    std::set<Index> back;
    for (const auto& [v, was] : before) {
      work.hear_stop();
      for (Index t : work.fan(v))
        if (work.normal(work.triangles()[t]).stableNormalized().dot(normals[t]) < upright)
          for (Index w : work.triangles()[t])
            if (before.contains(w)) back.insert(w);
    }
    if (back.empty()) break;
    for (Index v : back) {
      work.positions[v] = round == halvings ? before.at(v) : Vec3((work.positions[v] + before.at(v)) / 2);
      if (round == halvings) stayed.push_back(before.at(v));
    }
  }
  Edited out;
  out.done = before.size() - stayed.size();
  if (settings.to_sides) onto_sides(work, line, reach_of(work, vertices, settings.reach));
  tell_stayed(out, std::move(stayed));
  out.mesh = work.finish();
  return out;
}

/// On to its sides where a sound mesh stays sound by that; else as the surface is, which is told; else not at all.
template <class Edit>
Result<Edited> soundly(const Mesh& mesh, EdgeSettings settings, const Vec3& place, const Control& control, const Edit& edit) {
  const auto sound = [&](const Mesh& one) { return is_sound(one, {}, 1, control.stop); };
  Result<Edited> edited = edit(settings);
  if (!edited || sound(edited->mesh.mesh) || !sound(mesh)) return edited;
  if (settings.to_sides) {
    settings.to_sides = false;
    edited = edit(settings);
    if (!edited) return edited;
    edited->left.push_back(place);
    edited->why_left = "going on to its sides would make faces cross";
    if (sound(edited->mesh.mesh)) return edited;
  }
  return Issue{"faces would cross", "", {place}, "choose fewer of the edges or vertices, or do it in smaller steps"};
}

}  // namespace

Result<Edited> lead_edge(const Mesh& mesh, const Topology&, std::span<const Index> vertices, const EdgeSettings& settings, const Control& control) {
  return soundly(mesh, settings, vertices.empty() ? Vec3(Vec3::Zero()) : mesh.positions[vertices[0]], control, [&](const EdgeSettings& how) { return led(mesh, vertices, how, control); });
}

Result<Edited> even_out(const Mesh& mesh, const Topology& topology, std::span<const Index> edges, Index passes, const EdgeSettings& settings, const Control& control) {
  if (edges.empty()) return Issue{"no edges are chosen", "", {}, "choose the edges of the jagged run"};
  return soundly(mesh, settings, place_of(mesh, topology, ElementKind::edges, edges[0]), control, [&](const EdgeSettings& how) -> Result<Edited> { return evened(mesh, topology, edges, passes, how, control); });
}

}  // namespace anvil
