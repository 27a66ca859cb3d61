// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/shape/path_cut.h"

#include "core/shape/half_space.h"
#include "core/shape/stencil.h"

namespace anvil {

Result<BooleanResult> path_cut(const Workpiece& part, const PathCutSettings& settings, const Control& control) {
  std::vector<Vec3> points = settings.path.points;
  if (points.size() < 2) return Issue{"the path has no length", part.name, {}, "click at least two points of it"};
  const Box3 box = bounds(*part.mesh);
  const Vec3 way = settings.direction.stableNormalized();
  const bool closed = settings.path.closed && points.size() > 2, cuts = settings.what != PathCutSettings::What::edges;
  // Seen along the direction from in front: u to the right, v upwards.
  const HalfSpace plane(points[0], -way);
  PlaneFrame frame;
  frame.origin = points[0];
  frame.u = plane.u(), frame.v = plane.v(), frame.normal = plane.normal();
  if (!closed && cuts) {
    const double beyond = 2.13 * box.diagonal();
    const auto onwards = [&](const Vec3& from, const Vec3& to) {
      Vec3 along = to - from;
      along -= along.dot(way) * way;
      return Vec3(to + beyond * along.stableNormalized());
    };
    const Vec3 first = onwards(points[1], points[0]), last = onwards(points[points.size() - 2], points.back());
    points.insert(points.begin(), first);
    points.push_back(last);
  }
  std::vector<LinePiece> lines;
  for (std::size_t k = 0; k + 1 < points.size(); ++k) lines.push_back({points[k], points[k + 1]});
  if (closed) lines.push_back({points.back(), points.front()});
  if (!cuts) return throw_lines(part, lines, {way, settings.through}, control);
  if (settings.what == PathCutSettings::What::both) {
    Mesh sheet = curtain(bounds(*part.mesh), lines, way);
    if (sheet.empty()) return Issue{"the path runs along the line of sight", part.name, {}, "turn the direction"};
    return combine_with_made(part, {{std::move(sheet), Operation::split, "the path"}}, control);
  }
  StencilSettings stencil;
  stencil.frame = frame;
  Loop2 loop;
  for (const Vec3& p : points) loop.push_back(frame.of(p));
  if (!closed) {
    // Around the left side, far out.
    const Vec2 along = (loop.back() - loop.front()).normalized(), left(-along.y(), along.x());
    const double far = 4.26 * box.diagonal();
    const Vec2 from = loop.front(), to = loop.back();
    loop.push_back(to + far * left);
    loop.push_back(from + far * left);
  }
  stencil.loops = {loop};
  const bool inside_goes = settings.what == PathCutSettings::What::left_goes;
  stencil.operation = inside_goes ? Operation::difference : Operation::intersection;
  if (!settings.through && inside_goes) {
    double deepest = -1e300;
    for (const Vec3& p : settings.path.points) deepest = std::max(deepest, -frame.height(p));
    stencil.to = deepest + settings.depth;
  }
  return stencil_cut(part, stencil, control);
}

}  // namespace anvil
