// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/recast/reduce.h"

#include <algorithm>

#include "core/mesh/edges.h"
#include "core/recast/collapse.h"
#include "core/recast/settle_skin.h"
#include "core/recast/uncross.h"
#include "core/soundness/check.h"

namespace anvil {
namespace {

using namespace recast;

constexpr Note goal_not_reached{"goal_not_reached", "held edges and the shape leave 1 triangle more than asked for: hold only sharper edges to go on",
                                 "held edges and the shape leave {0} triangles more than asked for: hold only sharper edges to go on", Note::Place::card};
constexpr Note deviation_reached{"deviation_reached", "1 triangle more than asked for, so as not to deviate farther", "{0} triangles more than asked for, so as not to deviate farther", Note::Place::card};
constexpr Note reduced_unsound{"reduced_unsound", "{1} was not sound, and is not now", "{1} was not sound, and is not now"};
constexpr Note reduced_settled{"reduced_settled", "where it would have crossed itself the engine settled it", "where it would have crossed itself the engine settled it", Note::Place::card};

Mesh as_mesh(const std::vector<Vec3>& positions, const std::vector<Triangle>& triangles) {
  Mesh mesh;
  mesh.positions = positions;
  for (const Triangle& t : triangles) mesh.add_face(t);
  return mesh;
}

/// Vertices of crossing triangles to the middle of their neighbours, those on held edges and borders not. @return what still crosses; empty: nothing
std::vector<char> draw_apart(Collapsed& made, const std::vector<char>& stays, const Control& control) {
  Contour contour;
  contour.positions = std::move(made.positions);
  contour.triangles = std::move(made.triangles);
  std::vector<Vec3> sum(contour.positions.size(), Vec3::Zero());
  std::vector<double> count(sum.size(), 0);
  for (const Triangle& t : contour.triangles)
    for (std::size_t k = 0; k < 3; ++k) sum[t[k]] += contour.positions[t[(k + 1) % 3]] + contour.positions[t[(k + 2) % 3]], count[t[k]] += 2;
  for (std::size_t v = 0; v < sum.size(); ++v) contour.middle.push_back(count[v] > 0 ? Vec3(sum[v] / count[v]) : contour.positions[v]);
  contour.smooth = contour.middle;
  contour.sharpness.assign(sum.size(), 0);
  std::vector<char> movable(sum.size(), 1);
  for (std::size_t v = 0; v < stays.size(); ++v)
    if (stays[v] && made.became[v] != no_index) movable[made.became[v]] = 0;
  std::vector<char> crossing = uncross(contour, control, movable);
  made.positions = std::move(contour.positions);
  made.triangles = std::move(contour.triangles);
  return crossing;
}

}  // namespace

Reduced reduce(const Mesh& mesh, const std::string& name, const ReduceSettings& settings, const Control& control) {
  const TriangleList list = triangulate(mesh);
  const std::vector<Index> opposite = find_opposites(list.triangles, {}, mesh.positions.size());
  CollapseTask task{mesh.positions, list.triangles, held_edges(mesh, list, opposite, settings.held), opposite, std::vector<char>(mesh.positions.size(), 0), settings.triangles,
                    settings.rms > 0 && (settings.max_deviation == 0 || settings.rms < settings.max_deviation) ? settings.rms : settings.max_deviation};
  std::vector<char> on_line(mesh.positions.size(), 0);
  for (std::size_t c = 0; c < opposite.size(); ++c)
    if (task.held[c] || opposite[c] == no_index)
      for (std::size_t end : {c % 3, (c + 1) % 3}) on_line[list.triangles[c / 3][end]] = 1;
  Reduced reduced;
  Collapsed made;
  bool was_sound = true, too_far = false;
  // All that a vertex of the result stands for stays as it was.
  const auto leave = [&](const std::vector<char>& vertices) {
    for (std::size_t v = 0; v < made.became.size(); ++v)
      if (made.became[v] != no_index && vertices[made.became[v]]) task.fixed[v] = 1;
  };
  // How far it strays is first met by what is drawn together at all, then, in the few places that are left, by leaving these as they were.
  const double farthest = 0.95 * settings.max_deviation;  // what lies between the places that are looked at may be a little more
  constexpr int scalings = 5, tries = scalings + 4;
  for (int k = 0;; ++k) {
    made = collapse(task, control);
    std::vector<char> crossing = draw_apart(made, on_line, control);
    reduced.mesh = as_mesh(made.positions, made.triangles);
    reduced.is_sound = crossing.empty() && is_sound(reduced.mesh, {}, 1, control.stop);
    std::vector<char> again(made.positions.size(), 0);
    if (!crossing.empty()) {
      if (k == 0) was_sound = is_sound(mesh, {}, 1, control.stop);
      for (std::size_t t = 0; t < crossing.size() && was_sound; ++t)
        for (Index v : made.triangles[t]) again[v] |= crossing[t];
    }
    if (settings.max_deviation > 0) {
      const Deviation far = deviation_between(mesh, reduced.mesh, control.stop, true);
      too_far = far.max() > farthest;
      if (too_far && k < scalings) {
        task.farthest *= std::clamp(0.9 * farthest / far.max(), 0.25, 0.9);
        continue;
      }
      for (std::size_t t = 0; t < far.from_new.in_triangle.size(); ++t)
        for (Index v : made.triangles[t])
          if (far.from_new.in_triangle[t] > farthest) again[v] = 1;
      for (std::size_t t = 0; t < far.from_old.in_triangle.size(); ++t)
        for (Index v : list.triangles[t])
          if (far.from_old.in_triangle[t] > farthest && made.became[v] != no_index) again[made.became[v]] = 1;
    }
    if (std::find(again.begin(), again.end(), 1) == again.end() || k == tries) break;
    leave(again);
  }
  for (Index t : made.source) reduced.source.push_back(list.face[t]);
  const auto as_it_was = [&] {
    reduced.mesh = as_mesh(mesh.positions, list.triangles);
    reduced.source = list.face;
    reduced.is_sound = was_sound;
  };
  if (too_far && reduced.is_sound) as_it_was();
  if (!reduced.is_sound && was_sound) was_sound = is_sound(mesh, {}, 1, control.stop);
  if (!reduced.is_sound && was_sound) {
    std::vector<Index> face;
    if (!too_far && settle_skin(reduced.mesh, face, false, control)) {
      for (Index& f : face)
        if (f != no_index) f = reduced.source[f];
      reduced.source = std::move(face);
      reduced.is_sound = true;
      reduced.report.tell(reduced_settled, 1, name);
    } else {
      as_it_was();
    }
  }
  if (!reduced.is_sound) reduced.report.tell(reduced_unsound, 1, name);
  const std::size_t count = reduced.mesh.face_count();
  if (settings.triangles > 0 && count > settings.triangles && list.triangles.size() > settings.triangles)
    reduced.report.tell(settings.max_deviation > 0 ? deviation_reached : goal_not_reached, count - settings.triangles, name);
  carry_attributes(mesh, reduced.source, reduced.mesh);
  return reduced;
}

}  // namespace anvil
