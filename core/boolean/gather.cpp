// SPDX-License-Identifier: GPL-3.0-or-later
// Stage 1: all parts into one list of triangles.
#include <fmt/format.h>

#include <algorithm>
#include <numeric>

#include "core/boolean/stages.h"
#include "core/mesh/weld.h"

namespace anvil::boolean {
namespace {

struct Ready {
  Mesh mesh;  // placed, welded
  TriangleList list;
};

/// Net number of faces that run along each edge from its smaller to its larger vertex; not zero = a leak.
std::vector<std::array<Index, 2>> leaking_edges(const Mesh& mesh) {
  const EdgeTable edges = build_edges(mesh);
  std::vector<std::array<Index, 2>> leaks;
  for (std::size_t e = 0; e < edges.size(); ++e) {
    int net = 0;
    for (Index c : edges.corners_of(e)) net += mesh.corners[c] == edges.vertices[e][0] ? 1 : -1;
    // The way a cap has to run: against the surplus.
    for (; net > 0; --net) leaks.push_back({edges.vertices[e][1], edges.vertices[e][0]});
    for (; net < 0; ++net) leaks.push_back({edges.vertices[e][0], edges.vertices[e][1]});
  }
  return leaks;
}

/// Turns faces over so that neighbours across edges with two faces agree; the larger side of each patch stays.
std::size_t make_consistent(Mesh& mesh) {
  const EdgeTable edges = build_edges(mesh);
  std::vector<char> seen(mesh.face_count(), 0), turn(mesh.face_count(), 0);
  std::size_t turned = 0;
  for (Index seed = 0; seed < mesh.face_count(); ++seed) {
    if (seen[seed]) continue;
    seen[seed] = 1;
    std::vector<Index> patch{seed};
    std::size_t over = 0;
    for (std::size_t k = 0; k < patch.size(); ++k) {
      const Index f = patch[k];
      for (Index c = mesh.face_offsets[f]; c < mesh.face_offsets[f + 1]; ++c) {
        if (edges.corner_edge[c] == no_index) continue;
        const auto uses = edges.corners_of(edges.corner_edge[c]);
        if (uses.size() != 2) continue;
        const Index other = uses[0] == c ? uses[1] : uses[0], g = edges.corner_face[other];
        if (seen[g]) continue;
        seen[g] = 1;
        turn[g] = static_cast<char>(turn[f] ^ static_cast<char>(mesh.corners[other] == mesh.corners[c]));
        over += static_cast<std::size_t>(turn[g]);
        patch.push_back(g);
      }
    }
    if (2 * over > patch.size())
      for (Index f : patch) turn[f] ^= 1;
    turned += std::min(over, patch.size() - over);
  }
  for (std::size_t f = 0; f < mesh.face_count(); ++f)
    if (turn[f]) std::reverse(mesh.corners.begin() + mesh.face_offsets[f], mesh.corners.begin() + mesh.face_offsets[f + 1]);
  return turned;
}

/// Adds a face for each closed chain of leaking edges. Returns how many, or the leaks that close no chain.
Result<std::size_t> cap_holes(Mesh& mesh, std::vector<std::array<Index, 2>> leaks, const Operand& operand) {
  std::sort(leaks.begin(), leaks.end());
  std::vector<char> used(leaks.size(), 0);
  std::size_t caps = 0;
  for (std::size_t first = 0; first < leaks.size(); ++first) {
    if (used[first]) continue;
    std::vector<Index> chain;
    std::size_t at = first;
    while (true) {
      used[at] = 1;
      chain.push_back(leaks[at][0]);
      const Index next = leaks[at][1];
      // A chain that comes back to one of its own vertices has closed a loop there.
      const auto loop = std::find(chain.begin(), chain.end(), next);
      if (loop != chain.end()) {
        mesh.add_face(std::span<const Index>(&*loop, static_cast<std::size_t>(chain.end() - loop)));
        ++caps;
        chain.erase(loop, chain.end());
        if (chain.empty()) break;
      }
      auto it = std::lower_bound(leaks.begin(), leaks.end(), std::array<Index, 2>{next, 0});
      while (it != leaks.end() && (*it)[0] == next && used[static_cast<std::size_t>(it - leaks.begin())]) ++it;
      if (it == leaks.end() || (*it)[0] != next)
        return Issue{"its faces bound no volume: the rims of its holes do not close", operand.name,
                     {mesh.positions[next]}, "mend it first, or recast it as one watertight mesh"};
      at = static_cast<std::size_t>(it - leaks.begin());
    }
  }
  return caps;
}

Result<Ready> prepare(const Operand& operand, BooleanReport& report) {
  Ready ready;
  ready.mesh = *operand.mesh;
  if (!operand.placement.matrix().isIdentity(0))
    for (Vec3& p : ready.mesh.positions) p = operand.placement * p;
  if (operand.placement.linear().determinant() < 0) reverse_faces(ready.mesh);
  const WeldMap weld = weld_equal(ready.mesh.positions);
  if (weld.first.size() != ready.mesh.positions.size()) {
    std::vector<Vec3> positions;
    for (Index v : weld.first) positions.push_back(ready.mesh.positions[v]);
    for (Index& v : ready.mesh.corners) v = weld.id[v];
    ready.mesh.positions = std::move(positions);
  }
  auto leaks = leaking_edges(ready.mesh);
  if (!leaks.empty()) {
    if (const std::size_t turned = make_consistent(ready.mesh); turned > 0) {
      report.done.push_back({"faces_turned_right", turned, operand.name});
      leaks = leaking_edges(ready.mesh);
    }
    const std::size_t own = ready.mesh.face_count();
    const Result<std::size_t> caps = cap_holes(ready.mesh, std::move(leaks), operand);
    if (!caps) return caps.issue();
    if (*caps > 0) report.done.push_back({"holes_closed", *caps, operand.name});
    ready.list = triangulate(ready.mesh);
    for (Index& f : ready.list.face)
      if (f >= own) f = no_index;
  } else {
    ready.list = triangulate(ready.mesh);
  }
  return ready;
}

}  // namespace

Result<Soup> gather(const std::vector<Operand>& operands, BooleanReport& report, const Control& control) {
  Soup soup;
  soup.part_begin.push_back(0);
  for (Index part = 0; part < operands.size(); ++part) {
    check_stop(control);
    Result<Ready> ready = prepare(operands[part], report);
    if (!ready) return ready.issue();
    const auto base = static_cast<Index>(soup.points.size());
    soup.points.insert(soup.points.end(), ready->mesh.positions.begin(), ready->mesh.positions.end());
    std::size_t degenerate = 0;
    double six_volumes = 0;
    const Vec3 origin = ready->mesh.positions.empty() ? Vec3(0, 0, 0) : ready->mesh.positions[0];
    for (std::size_t i = 0; i < ready->list.triangles.size(); ++i) {
      const Triangle& t = ready->list.triangles[i];
      const Vec3 &a = ready->mesh.positions[t[0]], &b = ready->mesh.positions[t[1]], &c = ready->mesh.positions[t[2]];
      const Vec3 normal = (b - a).cross(c - a);
      const double scale = (b - a).cwiseAbs().maxCoeff() * (c - a).cwiseAbs().maxCoeff();
      if (!(normal.cwiseAbs().maxCoeff() > 1e-13 * scale) && collinear(a, b, c)) {
        if (t[0] != t[1] && t[1] != t[2] && t[2] != t[0]) ++degenerate;
        continue;
      }
      six_volumes += (a - origin).dot(normal);
      soup.triangles.push_back({base + t[0], base + t[1], base + t[2]});
      soup.part.push_back(part);
      soup.face.push_back(ready->list.face[i]);
    }
    if (soup.triangles.size() == soup.part_begin.back())
      return Issue{"it bounds nothing: it has no faces with an area", operands[part].name, {}, "leave it out"};
    if (degenerate > 0) report.done.push_back({"zero_area_faces_dropped", degenerate, operands[part].name});
    if (six_volumes < 0) report.done.push_back({"operands_turned_right", 1, operands[part].name});
    soup.part_begin.push_back(static_cast<Index>(soup.triangles.size()));
    soup.crosses_itself.push_back(!operands[part].free_of_crossings || degenerate > 0);
  }
  soup.origin.resize(soup.triangles.size());
  std::iota(soup.origin.begin(), soup.origin.end(), Index{0});
  soup.whole.assign(soup.triangles.size(), 1);
  soup.turned.assign(soup.triangles.size(), 0);
  // Vertices of different parts at one place are one vertex from here on.
  const WeldMap weld = weld_equal(soup.points);
  if (weld.first.size() != soup.points.size()) {
    std::vector<Vec3> points;
    points.reserve(weld.first.size());
    for (Index v : weld.first) points.push_back(soup.points[v]);
    for (Triangle& t : soup.triangles)
      for (Index& v : t) v = weld.id[v];
    soup.points = std::move(points);
  }
  return soup;
}

}  // namespace anvil::boolean
