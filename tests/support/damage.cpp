// SPDX-License-Identifier: GPL-3.0-or-later
#include "tests/support/damage.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <set>

#include "core/boolean/combine.h"
#include "core/mend/mend.h"
#include "core/mesh/edges.h"
#include "core/mesh/weld.h"
#include "core/mesh/winding.h"
#include "tests/support/meshes.h"
#include "tests/support/referee.h"

namespace anvil::test {
namespace {

constexpr double grid = 0x1p-30;

Mesh on_grid(Mesh mesh) {
  for (Vec3& p : mesh.positions) p = grid * (p / grid).array().round().matrix();
  return mesh;
}

Mesh combined(const Mesh& part, std::vector<std::pair<Operation, Mesh>> uses) {
  std::vector<Operand> operands{{shared(part), "part"}};
  for (auto& [operation, mesh] : uses) operands.push_back({shared(std::move(mesh)), "tool", operation});
  return combine(operands)->mesh;
}

Vec3 normal_of(const Mesh& mesh, std::size_t f) {
  const auto ring = mesh.face(f);
  Vec3 normal = Vec3::Zero();
  for (std::size_t k = 1; k + 1 < ring.size(); ++k)
    normal += (mesh.positions[ring[k]] - mesh.positions[ring[0]]).cross(mesh.positions[ring[k + 1]] - mesh.positions[ring[0]]);
  return normal;
}
Vec3 middle_of(const Mesh& mesh, std::size_t f) {
  Vec3 sum = Vec3::Zero();
  for (Index v : mesh.face(f)) sum += mesh.positions[v];
  return sum / static_cast<double>(mesh.face(f).size());
}

/// Faces that hang together over edges with two faces, grown from a random one.
std::vector<Index> region(Damage& d, std::size_t faces) {
  const EdgeTable edges = build_edges(d.mesh);
  const auto first = static_cast<Index>(d.below(d.mesh.face_count()));
  std::vector<Index> region{first};
  std::set<Index> in{first};
  for (std::size_t k = 0; k < region.size() && region.size() < faces; ++k)
    for (Index c = d.mesh.face_offsets[region[k]]; c < d.mesh.face_offsets[region[k] + 1]; ++c) {
      if (edges.corner_edge[c] == no_index) continue;
      const auto uses = edges.corners_of(edges.corner_edge[c]);
      for (Index use : uses)
        if (uses.size() == 2 && region.size() < faces && in.insert(edges.corner_face[use]).second) region.push_back(edges.corner_face[use]);
    }
  std::sort(region.begin(), region.end());
  return region;
}

/// Corners, each the start of an edge between a face of the region and one outside.
std::vector<Index> rim(const Mesh& mesh, const std::vector<Index>& region) {
  const EdgeTable edges = build_edges(mesh);
  const std::set<Index> in(region.begin(), region.end());
  std::vector<Index> rim;
  for (Index f : region)
    for (Index c = mesh.face_offsets[f]; c < mesh.face_offsets[f + 1]; ++c) {
      if (edges.corner_edge[c] == no_index) continue;
      bool outside = false;
      for (Index use : edges.corners_of(edges.corner_edge[c])) outside = outside || in.count(edges.corner_face[use]) == 0;
      if (outside) rim.push_back(c);
    }
  return rim;
}

Index next_of(const Mesh& mesh, Index f, Index c) { return next_corner(mesh, f, c); }

std::vector<std::vector<Index>> rings_of(const Mesh& mesh) {
  std::vector<std::vector<Index>> rings;
  for (std::size_t f = 0; f < mesh.face_count(); ++f) rings.emplace_back(mesh.face(f).begin(), mesh.face(f).end());
  return rings;
}
void set_rings(Mesh& mesh, const std::vector<std::vector<Index>>& rings) {
  Mesh made;
  made.positions = std::move(mesh.positions);
  for (const auto& ring : rings) made.add_face(ring);
  mesh = std::move(made);
}

void expect(Damage& d, const Family& family, std::size_t count, bool at_least = false) { d.expected.push_back({&family, count, at_least}); }

/// Vertices that no face uses go.
void compact(Mesh& mesh) {
  std::vector<Index> number(mesh.positions.size(), no_index);
  Mesh made;
  for (Index v : mesh.corners)
    if (number[v] == no_index) number[v] = made.add_vertex(mesh.positions[v]);
  for (Index& v : mesh.corners) v = number[v];
  mesh.positions = std::move(made.positions);
}

bool hole(Damage& d) {
  const std::size_t most = std::min<std::size_t>(200, d.mesh.face_count() / 4);
  const auto gone = region(d, 1 + d.below(most));
  const std::size_t open = rim(d.mesh, gone).size();
  if (open < 3) return false;
  double area = 0;
  Box3 box;
  for (Index f : gone) {
    area += normal_of(d.mesh, f).norm() / 2;
    for (Index v : d.mesh.face(f)) box.add(d.mesh.positions[v]);
  }
  d.slack += area * box.diagonal();
  d.mesh = without_faces(d.mesh, {gone.begin(), gone.end()});
  compact(d.mesh);
  expect(d, families::open_edges, open);
  d.same_polygons = false;
  return true;
}

bool doubled(Damage& d, bool turned) {
  const auto faces = region(d, 1 + d.below(6));
  for (Index f : faces) {
    std::vector<Index> ring(d.mesh.face(f).begin(), d.mesh.face(f).end());
    if (turned) std::reverse(ring.begin(), ring.end());
    d.mesh.add_face(ring);
  }
  expect(d, families::doubled_faces, faces.size());
  return true;
}
bool doubled_same_way(Damage& d) { return doubled(d, false); }
bool doubled_other_way(Damage& d) { return doubled(d, true); }

bool flipped_patch(Damage& d) {
  const auto faces = region(d, 1 + d.below(d.mesh.face_count() / 8));
  for (Index f : faces) std::reverse(d.mesh.corners.begin() + d.mesh.face_offsets[f] + 1, d.mesh.corners.begin() + d.mesh.face_offsets[f + 1]);
  expect(d, families::flipped_faces, faces.size());
  return true;
}

bool inside_out(Damage& d) {
  reverse_faces(d.mesh);
  d.volume += d.buried_inwards - d.buried_outwards;
  std::swap(d.buried_inwards, d.buried_outwards);
  expect(d, families::flipped_faces, d.mesh.face_count());
  return true;
}

/// Every face gets vertices of its own, off by up to a share of the size.
bool unwelded_by(Damage& d, double off) {
  std::vector<char> used(d.mesh.positions.size(), 0);
  for (Index v : d.mesh.corners) used[v] = 1;
  const auto vertices = static_cast<std::size_t>(std::count(used.begin(), used.end(), 1));
  Mesh soup;
  for (std::size_t f = 0; f < d.mesh.face_count(); ++f) {
    std::vector<Index> ring;
    for (Index v : d.mesh.face(f)) {
      const Vec3 by(d.share() - 0.5, d.share() - 0.5, d.share() - 0.5);
      ring.push_back(soup.add_vertex(d.mesh.positions[v] + off * d.size * by));
    }
    soup.add_face(ring);
  }
  expect(d, families::unwelded_vertices, soup.positions.size() - vertices);
  d.mesh = std::move(soup);
  if (off > 0) d.slack += 2 * off * d.size * surface_area(d.mesh), d.same_polygons = false;
  return true;
}
bool unwelded(Damage& d) { return unwelded_by(d, 0); }
bool unwelded_a_little(Damage& d) { return unwelded_by(d, 1e-9); }
bool unwelded_more(Damage& d) { return unwelded_by(d, 1e-6); }

bool unwelded_seam(Damage& d) {
  const auto faces = region(d, 2 + d.below(d.mesh.face_count() / 3));
  std::set<Index> on_rim;
  for (Index c : rim(d.mesh, faces)) {
    const Index f = static_cast<Index>(std::upper_bound(d.mesh.face_offsets.begin(), d.mesh.face_offsets.end(), c) - d.mesh.face_offsets.begin() - 1);
    on_rim.insert({d.mesh.corners[c], d.mesh.corners[next_of(d.mesh, f, c)]});
  }
  if (on_rim.empty()) return false;
  std::map<Index, Index> copy;
  for (Index v : on_rim) copy[v] = d.mesh.add_vertex(Vec3(d.mesh.positions[v]));
  for (Index f : faces)
    for (Index c = d.mesh.face_offsets[f]; c < d.mesh.face_offsets[f + 1]; ++c)
      if (const auto it = copy.find(d.mesh.corners[c]); it != copy.end()) d.mesh.corners[c] = it->second;
  expect(d, families::unwelded_vertices, on_rim.size());
  return true;
}

/// The region is lifted by nothing: new vertices for it, and a wall of no height along its rim.
bool extruded_by_nothing(Damage& d, std::size_t most) {
  const auto faces = region(d, most == 1 ? 1 : 2 + d.below(most - 1));
  const auto around = rim(d.mesh, faces);
  if (around.empty()) return false;
  std::map<Index, Index> copy;
  const auto lifted = [&](Index v) {
    const auto [it, is_new] = copy.try_emplace(v);
    if (is_new) it->second = d.mesh.add_vertex(Vec3(d.mesh.positions[v]));
    return it->second;
  };
  std::vector<std::vector<Index>> walls;
  std::set<Index> ends;
  for (Index c : around) {
    const Index f = static_cast<Index>(std::upper_bound(d.mesh.face_offsets.begin(), d.mesh.face_offsets.end(), c) - d.mesh.face_offsets.begin() - 1);
    const Index v = d.mesh.corners[c], w = d.mesh.corners[next_of(d.mesh, f, c)];
    walls.push_back({v, w, lifted(w), lifted(v)});
    ends.insert({v, w});
  }
  for (Index f : faces)
    for (Index c = d.mesh.face_offsets[f]; c < d.mesh.face_offsets[f + 1]; ++c) d.mesh.corners[c] = lifted(d.mesh.corners[c]);
  for (const auto& wall : walls) d.mesh.add_face(wall);
  compact(d.mesh);
  expect(d, families::zero_length_edges, ends.size());
  expect(d, families::zero_area_faces, walls.size());
  return true;
}
bool face_extruded_by_nothing(Damage& d) { return extruded_by_nothing(d, 1); }
bool region_extruded_by_nothing(Damage& d) { return extruded_by_nothing(d, 12); }

/// A random edge with two faces, as a corner of one of them.
Index random_edge(Damage& d, const EdgeTable& edges, double at_least = 0) {
  for (int tries = 0; tries < 200; ++tries) {
    const auto e = static_cast<Index>(d.below(edges.size()));
    const auto [v, w] = edges.vertices[e];
    if (edges.corners_of(e).size() == 2 && (d.mesh.positions[v] - d.mesh.positions[w]).norm() > at_least * d.size) return edges.corners_of(e)[0];
  }
  return no_index;
}

/// Outwards at an edge, between its two faces.
Vec3 outwards(const Mesh& mesh, const EdgeTable& edges, Index corner) {
  Vec3 sum = Vec3::Zero();
  for (Index use : edges.corners_of(edges.corner_edge[corner])) sum += normal_of(mesh, edges.corner_face[use]).normalized();
  return sum.normalized();
}

bool fin_of(Damage& d, std::size_t length) {
  const EdgeTable edges = build_edges(d.mesh);
  Index corner = random_edge(d, edges);
  if (corner == no_index) return false;
  const Vec3 by = 0.01 * d.size * outwards(d.mesh, edges, corner);
  std::vector<Index> chain{d.mesh.corners[corner]};
  for (std::size_t k = 0; k < length; ++k) {
    const Index f = edges.corner_face[corner];
    const Index end = d.mesh.corners[next_of(d.mesh, f, corner)];
    if (std::find(chain.begin(), chain.end(), end) != chain.end()) break;
    chain.push_back(end);
    // On to an edge from there, not back.
    Index next = no_index;
    for (Index c = 0; c < d.mesh.corners.size(); ++c)
      if (d.mesh.corners[c] == end && edges.corner_edge[c] != no_index && edges.corners_of(edges.corner_edge[c]).size() == 2) {
        const Index to = d.mesh.corners[next_of(d.mesh, edges.corner_face[c], c)];
        const Vec3 along = d.mesh.positions[to] - d.mesh.positions[end];
        if (std::find(chain.begin(), chain.end(), to) == chain.end() && along.cross(by).norm() > 0.1 * along.norm() * by.norm()) next = c;
      }
    if (next == no_index) break;
    corner = next;
  }
  std::vector<Index> top;
  for (Index v : chain) top.push_back(d.mesh.add_vertex(d.mesh.positions[v] + by));
  for (std::size_t k = 0; k + 1 < chain.size(); ++k) d.mesh.add_face({chain[k], chain[k + 1], top[k + 1], top[k]});
  expect(d, families::fins, 1);
  expect(d, families::non_manifold_edges, chain.size() - 1);
  return true;
}
bool fin(Damage& d) { return fin_of(d, 1); }
bool fin_along_a_chain(Damage& d) { return fin_of(d, 3 + d.below(6)); }

/// Puts the middle of an edge into one of its faces; with a face of no area between it and the other, or without.
bool middle_on_one_side(Damage& d, bool with_face) {
  std::size_t made = 0;
  for (std::size_t k = 1 + d.below(4); k > 0; --k) {
    const EdgeTable edges = build_edges(d.mesh);
    const Index corner = random_edge(d, edges, 1e-3);
    if (corner == no_index) continue;
    const Index f = edges.corner_face[corner];
    const Index v = d.mesh.corners[corner], w = d.mesh.corners[next_of(d.mesh, f, corner)];
    const Vec3 middle = (d.mesh.positions[v] + d.mesh.positions[w]) / 2;
    if (2 * middle != d.mesh.positions[v] + d.mesh.positions[w]) continue;
    auto rings = rings_of(d.mesh);
    const Index m = d.mesh.add_vertex(middle);
    rings[f].insert(rings[f].begin() + (corner - d.mesh.face_offsets[f]) + 1, m);
    if (with_face) rings.push_back({w, m, v});
    if (with_face) std::reverse(rings.back().begin(), rings.back().end());
    set_rings(d.mesh, rings);
    ++made;
  }
  if (made == 0) return false;
  expect(d, with_face ? families::zero_area_faces : families::t_junctions, made);
  d.same_polygons = false;
  return true;
}
bool face_of_no_area(Damage& d) { return middle_on_one_side(d, true); }
bool t_junction(Damage& d) { return middle_on_one_side(d, false); }

/// A vertex is pulled through the body.
bool spike(Damage& d) {
  const auto f = d.below(d.mesh.face_count());
  const Index v = d.mesh.face(f)[0];
  const Vec3 by = -(1.2 + d.share()) * d.size * normal_of(d.mesh, f).normalized();
  if (!by.allFinite()) return false;
  d.mesh.positions[v] = on_grid(Mesh{{d.mesh.positions[v] + by}, {0}, {}, {}, {}}).positions[0];
  expect(d, families::crossing_faces, 2, true);
  d.volume_known = false;
  d.same_polygons = false;
  return true;
}

bool overlapping_copy(Damage& d) {
  Mesh copy = d.mesh;
  const Vec3 by = d.size * Vec3(0.02 + 0.2 * d.share(), 0.1 * d.share() - 0.05, 0.04 * d.share() - 0.02);
  for (Vec3& p : copy.positions) p += by;
  append(d.mesh, on_grid(copy));
  expect(d, families::crossing_faces, 2, true);
  d.volume_known = false;
  d.same_polygons = false;
  return true;
}

bool whole_copy(Damage& d) {
  const std::size_t faces = d.mesh.face_count();
  append(d.mesh, Mesh(d.mesh));
  expect(d, families::doubled_faces, faces);
  return true;
}

/// One half and its mirror image, welded; the wall between them stays, once or twice.
bool mirrored_with_wall(Damage& d) {
  const Box3 box = bounds(d.mesh);
  const double at = grid * std::round((box.centre().x() + (0.2 * d.share() - 0.1) * box.size().x()) / grid);
  const Vec3 size = 4 * box.size() + Vec3::Constant(1);
  Mesh keep = placed(stock("box", {size.x(), size.y(), size.z()}), {at - size.x() / 2, box.centre().y(), box.centre().z()});
  const auto half = combine({{shared(d.mesh), "body"}, {shared(keep), "half", Operation::intersection}});
  if (!half || half->mesh.empty() || half->pieces > 1) return false;
  Mesh one = half->mesh;
  // Who mirrors puts what lies near the plane onto it: rounding may have left a corner a unit in the last place beside.
  for (Vec3& p : one.positions)
    if (std::abs(p.x() - at) < 1e-9 * d.size) p.x() = at;
  std::vector<std::size_t> walls;
  for (std::size_t f = 0; f < one.face_count(); ++f) {
    bool on = true;
    for (Index v : one.face(f)) on = on && one.positions[v].x() == at;
    if (on) walls.push_back(f);
  }
  if (walls.empty()) return false;
  Mesh other = one;
  for (Vec3& p : other.positions) p.x() = 2 * at - p.x();
  reverse_faces(other);
  const bool once = d.below(2) == 0;
  d.volume = 2 * signed_volume(one);
  d.mesh = one;
  append(d.mesh, once ? without_faces(other, walls) : other);
  d.mesh = welded(d.mesh);
  if (once)
    expect(d, families::inner_walls, 1, true);
  else
    expect(d, families::doubled_faces, walls.size());
  d.slack += 1e-6 * d.size * surface_area(one);
  d.same_polygons = false;
  return true;
}

/// A small box behind a face.
Mesh crumb(Damage& d, double from_surface, double size) {
  for (int tries = 0; tries < 50; ++tries) {
    const std::size_t f = d.below(d.mesh.face_count());
    const Vec3 n = normal_of(d.mesh, f).normalized();
    if (!n.allFinite()) continue;
    const Vec3 at = middle_of(d.mesh, f) + from_surface * d.size * n;
    // The middle of a concave face may lie beside it.
    if (winding_number(d.mesh.positions, triangulate(d.mesh).triangles, at) > 0.9) return on_grid(placed(cube(size * d.size), at));
  }
  return {};
}

bool nested_shell(Damage& d) {
  const Mesh shell = crumb(d, -0.004, 0.002);
  if (shell.empty()) return false;
  append(d.mesh, shell);
  d.buried_outwards += signed_volume(shell);
  expect(d, families::inner_walls, 1);
  return true;
}

bool inverted_shell_beside(Damage& d) {
  Mesh other = on_grid(placed(stock("icosphere", {0.2 * d.size, 1}), bounds(d.mesh).hi + Vec3::Constant(0.3 * d.size)));
  d.volume += signed_volume(other);
  reverse_faces(other);
  expect(d, families::flipped_faces, other.face_count());
  append(d.mesh, other);
  d.same_polygons = false;
  return true;
}

bool stray(Damage& d) {
  append(d.mesh, on_grid(placed(cube(0.002 * d.size), bounds(d.mesh).hi + Vec3::Constant(0.05 * d.size))));
  expect(d, families::stray_shells, 1);
  return true;
}

bool loose_vertices(Damage& d) {
  const std::size_t n = 1 + d.below(5);
  for (std::size_t k = 0; k < n; ++k) d.mesh.add_vertex(d.size * Vec3(d.share(), d.share(), d.share()));
  expect(d, families::loose_vertices, n);
  return true;
}

bool in_32_bits(Damage& d) {
  // Turned out of the grid first, so that there is something to round.
  const Mesh turned = placed(d.mesh, {0.1, 0.2, 0.3}, {17, 29, 41});
  d.mesh = turned;
  for (Vec3& p : d.mesh.positions) p = p.cast<float>().cast<double>();
  d.slack += 1e-6 * d.size * surface_area(d.mesh);
  d.same_polygons = false;
  return true;
}

/// A tetrahedron on an edge of the body, or on a vertex.
bool sharing(Damage& d, bool edge) {
  const EdgeTable edges = build_edges(d.mesh);
  const Mesh before = d.mesh;
  const std::array crossings{&families::crossing_faces};
  const std::size_t crossings_before = check_soundness(before, {}, {.families = crossings}).count(families::crossing_faces);
  for (int tries = 0; tries < 20; ++tries) {
    const Index corner = random_edge(d, edges, edge ? 1e-3 : 0);
    if (corner == no_index) return false;
    const Index f = edges.corner_face[corner];
    const Index a = d.mesh.corners[corner], b = d.mesh.corners[next_of(d.mesh, f, corner)];
    const auto uses = edges.corners_of(edges.corner_edge[corner]);
    // Only where the body is convex there is room outside.
    const Index other = uses[0] == corner ? uses[1] : uses[0];
    const Vec3 n = outwards(d.mesh, edges, corner), p = d.mesh.positions[a], q = d.mesh.positions[b];
    if (!n.allFinite() || normal_of(d.mesh, f).dot(middle_of(d.mesh, edges.corner_face[other]) - p) >= 0) continue;
    const double h = 0.04 * d.size;
    const Vec3 along = (q - p).normalized(), aside = n.cross(along);
    Mesh tip;
    if (edge) {
      const Vec3 middle = (p + q) / 2 + h * n;
      for (const Vec3& x : {p, q, Vec3(middle + 0.1 * h * aside), Vec3(middle - 0.1 * h * aside)}) tip.add_vertex(x);
    } else {
      Vec3 out = Vec3::Zero();
      bool convex = true;
      for (std::size_t g = 0; g < d.mesh.face_count(); ++g)
        for (Index v : d.mesh.face(g))
          if (v == a) out += normal_of(d.mesh, g).normalized();
      for (std::size_t g = 0; g < d.mesh.face_count(); ++g)
        for (Index v : d.mesh.face(g))
          if (v == a) convex = convex && normal_of(d.mesh, g).normalized().dot(out.normalized()) > 0.3;
      if (!convex) continue;
      const Vec3 up = out.normalized(), x = up.unitOrthogonal(), y = up.cross(x);
      for (const Vec3& r : {p, Vec3(p + h * up + 0.05 * h * x), Vec3(p + h * up + 0.05 * h * y), Vec3(p + h * up - 0.05 * h * (x + y))}) tip.add_vertex(r);
    }
    for (const Triangle& t : {Triangle{0, 2, 1}, Triangle{0, 1, 3}, Triangle{1, 2, 3}, Triangle{2, 0, 3}}) tip.add_face(t);
    if (signed_volume(tip) < 0) reverse_faces(tip);
    // Turned faces may have told the wrong way: inside it would be buried.
    if (std::abs(winding_number(d.mesh.positions, triangulate(d.mesh).triangles, (tip.positions[2] + tip.positions[3]) / 2)) > 0.1) continue;
    const std::array<Index, 2> shared_vertices{a, b};
    const std::size_t common = edge ? 2 : 1;
    std::vector<Index> number;
    for (std::size_t k = 0; k < 4; ++k) number.push_back(k < common ? shared_vertices[k] : d.mesh.add_vertex(tip.positions[k]));
    for (std::size_t g = 0; g < 4; ++g) {
      std::vector<Index> ring;
      for (Index v : tip.face(g)) ring.push_back(number[v]);
      d.mesh.add_face(ring);
    }
    if (check_soundness(d.mesh, {}, {.families = crossings}).count(families::crossing_faces) > crossings_before) {
      d.mesh = before;
      continue;
    }
    d.volume += signed_volume(tip);
    d.same_polygons = false;
    if (edge)
      expect(d, families::non_manifold_edges, 1);
    else
      expect(d, families::non_manifold_vertices, 1);
    return true;
  }
  return false;
}
bool bodies_sharing_an_edge(Damage& d) { return sharing(d, true); }
bool bodies_sharing_a_vertex(Damage& d) { return sharing(d, false); }

/// Rings by position, each from its least corner on, in order.
std::vector<std::vector<std::array<double, 3>>> polygons(const Mesh& mesh) {
  std::vector<std::vector<std::array<double, 3>>> all;
  for (std::size_t f = 0; f < mesh.face_count(); ++f) {
    std::vector<std::array<double, 3>> ring;
    for (Index v : mesh.face(f)) ring.push_back({mesh.positions[v].x(), mesh.positions[v].y(), mesh.positions[v].z()});
    std::rotate(ring.begin(), std::min_element(ring.begin(), ring.end()), ring.end());
    all.push_back(std::move(ring));
  }
  std::sort(all.begin(), all.end());
  return all;
}

}  // namespace

const std::vector<Body>& bodies_to_damage() {
  static const std::vector<Body> bodies = [] {
    std::vector<Body> all;
    const auto add = [&](const char* name, Mesh mesh) { all.push_back({name, on_grid(std::move(mesh))}); };
    add("ball of quads", stock("sphere", {40, 24, 12}));
    add("ring", stock("torus", {40, 14, 36, 18}));
    add("ball of triangles", stock("icosphere", {30, 3}));
    add("large ball", stock("sphere", {60, 160, 125}));
    Mesh plate = stock("box", {80, 60, 8});
    std::vector<std::pair<Operation, Mesh>> holes;
    for (int i = 0; i < 4; ++i)
      for (int j = 0; j < 3; ++j) holes.emplace_back(Operation::difference, placed(stock("cylinder", {9, 20, 20}), {-27.0 + 18 * i, -18.0 + 18 * j, 0}));
    const Mesh drilled = combined(plate, holes);
    add("drilled plate", drilled);
    add("drilled plate of triangles", in_triangles(on_grid(drilled)));
    const Mesh clamp = combined(stock("box", {60, 32, 12}), {{Operation::unite, placed(stock("cylinder", {29, 36, 48}), {0, 0, 12})},
                                                            {Operation::difference, placed(stock("cylinder", {18, 60, 48}), {0, 0, 12})},
                                                            {Operation::difference, placed(stock("box", {40, 4, 60}), {20, 0, 10})},
                                                            {Operation::difference, placed(stock("cylinder", {6, 40, 24}), {-22, 0, 0})}});
    add("clamp", clamp);
    add("float", combined(stock("sphere", {40, 48, 24}), {{Operation::difference, stock("sphere", {34, 48, 24})},
                                                          {Operation::unite, placed(stock("cylinder", {12, 60, 32}), {0, 0, 0})},
                                                          {Operation::difference, placed(stock("cylinder", {7, 80, 32}), {0, 0, 0})}}));
    add("star", stock("star-prism", {40, 20, 24, 26}));
    return all;
  }();
  return bodies;
}

const std::vector<DamageKind>& damage_kinds() {
  static const std::vector<DamageKind> kinds = {
      {"hole", hole},
      {"doubled, same way", doubled_same_way},
      {"doubled, other way", doubled_other_way},
      {"flipped patch", flipped_patch},
      {"inside out", inside_out},
      {"all unwelded", unwelded},
      {"unwelded, off by 1e-9", unwelded_a_little},
      {"unwelded, off by 1e-6", unwelded_more},
      {"unwelded seam", unwelded_seam},
      {"face extruded by nothing", face_extruded_by_nothing},
      {"region extruded by nothing", region_extruded_by_nothing},
      {"fin", fin},
      {"fin along a chain", fin_along_a_chain},
      {"face of no area", face_of_no_area},
      {"T-junction", t_junction},
      {"spike through the body", spike},
      {"overlapping copy", overlapping_copy},
      {"whole copy", whole_copy},
      {"mirrored with its wall", mirrored_with_wall},
      {"nested shell", nested_shell},
      {"inverted shell beside", inverted_shell_beside},
      {"stray", stray},
      {"loose vertices", loose_vertices},
      {"in 32 bits", in_32_bits},
      {"bodies sharing an edge", bodies_sharing_an_edge},
      {"bodies sharing a vertex", bodies_sharing_a_vertex}};
  return kinds;
}

Damage::Damage(const Mesh& body)
    : mesh(body), size(bounds(body).diagonal()), volume(signed_volume(body)), slack(1e-9 * std::abs(volume)) {}

Body damaged_body(Dice& dice, unsigned seed, std::size_t most_faces) {
  const auto& all = bodies_to_damage();
  const Body& whole = all[dice.upto(static_cast<unsigned>(all.size()))];
  if (whole.mesh.face_count() > most_faces) return {};
  Damage d(whole.mesh);
  d.random.seed(seed);
  std::string name = whole.name;
  constexpr std::size_t enough = 30'000;  // faces
  for (unsigned k = 1 + dice.upto(4); k > 0; --k) {
    const DamageKind& kind = damage_kinds()[dice.upto(static_cast<unsigned>(damage_kinds().size()))];
    if (d.mesh.face_count() < enough && kind.inflict(d)) name += std::string(", ") + kind.name;
  }
  return {name, std::move(d.mesh)};
}

std::string what_is_wrong_with_mending(std::size_t body, std::size_t kind, unsigned seed) {
  const Mesh& original = bodies_to_damage()[body].mesh;
  const auto& kinds = damage_kinds();
  Damage d(original);
  d.random.seed(seed * 1009 + static_cast<unsigned>(17 * body + kind));
  if (kind < kinds.size()) {
    if (!kinds[kind].inflict(d)) return "";
    d.what = kinds[kind].name;
  } else {
    for (std::size_t k = 3 + d.below(4); k > 0; --k) {
      const DamageKind& one = kinds[d.below(kinds.size())];
      if (d.mesh.face_count() > 60'000) break;
      if (one.inflict(d)) d.what += std::string(d.what.empty() ? "" : " + ") + one.name;
    }
  }
  const auto wrong = [&](const std::string& why) { return fmt::format("{}: {}", d.what, why); };
  MendSettings settings;
  settings.menders = mender_table();
  std::vector<const Mender*> ticked;
  for (const Mender* mender : mender_table())
    if (mender->ticked) ticked.push_back(mender);
  settings.menders = ticked;
  const Mended mended = mend(d.mesh, settings);
  if (kind < kinds.size())
    for (const auto& [family, count, at_least] : d.expected) {
      const std::size_t found = mended.before.count(*family);
      if (at_least ? found < count : found != count) return wrong(fmt::format("{} {} found, {} made", found, family->many, count));
    }
  if (!mended.after.sound) return wrong(fmt::format("{}{}{}", verdict(mended.after), mended.left.empty() ? "" : "; ", mended.left.empty() ? "" : mended.left[0]));
  const Judgement judged = judge(in_triangles(mended.mesh));
  if (!judged.sound())
    return wrong(fmt::format("CGAL: manifold {} closed {} crosses {} bounds {} outward {} degenerate {}", judged.manifold, judged.closed, judged.self_intersects,
                             judged.bounds_volume, judged.outward, judged.degenerate));
  if (d.volume_known && std::abs(judged.volume - d.volume) > d.slack) return wrong(fmt::format("volume {} and not {}, may be off by {:.3g}", judged.volume, d.volume, d.slack));
  if (kind < kinds.size() && d.same_polygons && polygons(mended.mesh) != polygons(original)) return wrong("not the old polygons");
  if (mended.source.size() != mended.mesh.face_count()) return wrong("not every face knows what it was");
  return "";
}

}  // namespace anvil::test
