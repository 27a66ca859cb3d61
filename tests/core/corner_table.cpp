// SPDX-License-Identifier: GPL-3.0-or-later
// Rounds of random corners of 3 to 6 edges, and of random tetrahedra, as a table: soundness by CGAL, tangents, volumes and the shape of faces.
//   build/release/tests/corner_table [CORNERS]
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <optional>

#include "core/mesh/edge_rule.h"
#include "core/shape/blend/blend.h"
#include "tests/support/dice.h"
#include "tests/support/meshes.h"
#include "tests/support/referee.h"

namespace {

using namespace anvil;
using namespace anvil::test;

constexpr Index segments = 16, fine = 128;

/// A corner at the origin between rays, closed by faces from a point that all of its facets are seen from; the cavity of a box where it is turned inside out.
struct Corner {
  Mesh mesh;
  std::vector<Index> list;  // edges at the corner
  std::size_t convex = 0;
};

/// Rays around an axis. If they rise and fall, edges of both kinds meet, and one of the facets may be more than half of its plane.
std::vector<Vec3> random_rays(Dice& dice, bool mixed) {
  const auto k = static_cast<Index>(3 + dice.upto(4));
  const double steep = dice.between(0.3, 1.6), uneven = dice.upto(2) == 0 ? 0.1 : 0.6;
  const double wide = mixed && (k == 3 || dice.upto(3) == 0) ? dice.between(3.6, 4.9) : 2 * M_PI / k, rest = (2 * M_PI - wide) / (k - 1);
  std::vector<Vec3> rays;
  for (Index i = 0; i < k; ++i) {
    const double angle = (i + dice.between(-0.28, 0.28)) * rest;
    rays.emplace_back(std::cos(angle), std::sin(angle), mixed ? dice.between(-1.2, 0.8) : -steep * (1 + uneven * dice.between(-0.5, 0.5)));
  }
  return rays;
}

std::optional<Mesh> corner_mesh(Dice& dice, double size, bool mixed) {
  const std::vector<Vec3> rays = random_rays(dice, mixed);
  const std::size_t k = rays.size();
  std::vector<Vec3> normals;
  std::vector<Vec3> around;  // rays, and the middle of a facet of more than half a plane
  std::vector<std::size_t> facet;
  for (std::size_t i = 0; i < k; ++i) {
    const Vec3 &a = rays[i], &b = rays[(i + 1) % k];
    const bool is_wide = Vec3(0, 0, 1).dot(a.cross(b)) < 0;
    normals.push_back((is_wide ? -1.0 : 1.0) * a.cross(b).normalized());
    around.push_back(a), facet.push_back(i);
    if (is_wide) around.push_back(-(a.normalized() + b.normalized()).normalized()), facet.push_back(i);
  }
  Vec3 apex;
  for (int again = 0;; ++again) {
    if (again == 1000) return std::nullopt;
    apex = 4 * dice.direction();
    if (std::all_of(normals.begin(), normals.end(), [&](const Vec3& n) { return n.dot(apex) < -0.4; })) break;
  }
  Mesh mesh;
  mesh.add_vertex({0, 0, 0});
  for (const Vec3& p : around) mesh.add_vertex(size * p);
  mesh.add_vertex(size * apex);
  const auto n = static_cast<Index>(around.size());
  for (Index i = 0; i < n; ++i) {
    const Index a = 1 + i, b = 1 + (i + 1) % n;
    mesh.add_face({n + 1, b, a});
    if (i > 0 && facet[i] == facet[i - 1]) continue;
    if (i + 1 < n && facet[i] == facet[i + 1]) mesh.add_face({0, a, b, 1 + (i + 2) % n});
    else mesh.add_face({0, a, b});
  }
  return mesh;
}

Corner random_corner(Dice& dice, double size, bool mixed, bool inside_out) {
  std::optional<Mesh> made;
  while (!made) made = corner_mesh(dice, size, mixed);
  Corner corner;
  Mesh& mesh = corner.mesh;
  mesh = std::move(*made);
  if (inside_out) {
    Mesh turned = stock("box", {24 * size, 24 * size, 24 * size});
    const auto first = static_cast<Index>(turned.positions.size());
    for (const Vec3& p : mesh.positions) turned.add_vertex(p);
    for (Index f = 0; f < mesh.face_count(); ++f) {
      std::vector<Index> ring;
      for (Index v : mesh.face(f)) ring.insert(ring.begin(), v + first);
      turned.add_face(ring);
    }
    mesh = std::move(turned);
  }
  const EdgeTable edges = build_edges(mesh);
  for (Index e : edges_by_rule(mesh, edges, {EdgeRule::By::all}, {})) {
    if (mesh.positions[edges.vertices[e][0]] != Vec3::Zero() && mesh.positions[edges.vertices[e][1]] != Vec3::Zero()) continue;
    corner.list.push_back(e);
    const auto uses = edges.corners_of(e);
    const Vec3 n = newell_normal(mesh.positions, mesh.face(edges.corner_face[uses[0]])), m = newell_normal(mesh.positions, mesh.face(edges.corner_face[uses[1]]));
    corner.convex += n.cross(m).dot(mesh.positions[mesh.corners[uses[1]]] - mesh.positions[mesh.corners[uses[0]]]) > 0;
  }
  return corner;
}

double least_angle(const Mesh& mesh, Index f) {
  double least = 180;
  for (const Triangle& t : triangulate(mesh.positions, mesh.face(f)))
    for (std::size_t k = 0; k < 3; ++k) {
      const Vec3 a = mesh.positions[t[(k + 1) % 3]] - mesh.positions[t[k]], b = mesh.positions[t[(k + 2) % 3]] - mesh.positions[t[k]];
      least = std::min(least, std::atan2(a.cross(b).norm(), a.dot(b)) * 180 / M_PI);
    }
  return least;
}

/// Does the strip of each edge begin, near the corner, on both facets beside it, as far from the edge as a round of this radius touches them?
bool has_full_width(const Mesh& mesh, const Corner& corner, double radius, double size) {
  const EdgeTable edges = build_edges(corner.mesh);
  for (Index e : corner.list) {
    const auto uses = edges.corners_of(e);
    std::array<Vec3, 2> normals;
    for (std::size_t k = 0; k < 2; ++k) normals[k] = newell_normal(corner.mesh.positions, corner.mesh.face(edges.corner_face[uses[k]])).normalized();
    const Vec3 way = (corner.mesh.positions[edges.vertices[e][0]] + corner.mesh.positions[edges.vertices[e][1]]).normalized();
    const double width = radius * std::tan(std::atan2(normals[0].cross(normals[1]).norm(), normals[0].dot(normals[1])) / 2);
    for (const Vec3& n : normals) {
      const auto begins = [&](const Vec3& p) { return p.norm() < 0.5 * size && std::abs(n.dot(p)) < 1e-6 * radius && std::abs((p - p.dot(way) * way).norm() - width) < 1e-6 * radius; };
      if (std::none_of(mesh.positions.begin(), mesh.positions.end(), begins)) return false;
    }
  }
  return true;
}

/// Of the triangle beside an edge, when a face falls into triangles.
Vec3 normal_beside(const Mesh& mesh, Index face, const std::array<Index, 2>& edge) {
  for (const Triangle& t : triangulate(mesh.positions, mesh.face(face)))
    if (std::find(t.begin(), t.end(), edge[0]) != t.end() && std::find(t.begin(), t.end(), edge[1]) != t.end())
      return (mesh.positions[t[1]] - mesh.positions[t[0]]).cross(mesh.positions[t[2]] - mesh.positions[t[0]]);
  return newell_normal(mesh.positions, mesh.face(face));
}

struct Row {
  std::size_t cases = 0, sound = 0, whole = 0;
  std::vector<double> tangents, angles, volumes, faces;  // degrees; share of what 128 segments take; per edge and segment
};

void add(Row& row, const Corner& corner, double radius, double size) {
  ++row.cases;
  const EdgeTable edges = build_edges(corner.mesh);
  EdgeBlendSettings settings{true, radius};
  const auto run = [&](Index n) {
    settings.segments = n;
    return blend_edges({shared(corner.mesh), "corner", true}, edges, corner.list, settings);
  };
  const auto result = run(segments);
  if (!result) return;
  const Mesh& mesh = result->mesh;
  row.sound += judge(in_triangles(mesh)).sound();
  if (!has_full_width(mesh, corner, radius, size)) return;
  ++row.whole;
  const double before = signed_volume(corner.mesh), taken = before - signed_volume(run(fine)->mesh);
  row.volumes.push_back(std::abs(before - signed_volume(mesh) - taken) / std::abs(taken));
  const auto made = std::count(result->sources.face.begin(), result->sources.face.end(), no_index);
  row.faces.push_back(static_cast<double>(made) / static_cast<double>(corner.list.size() * segments));
  // Strips are long.
  const auto is_long = [&](Index f) {
    const auto ring = mesh.face(f);
    double longest = 0;
    for (std::size_t k = 0; k < ring.size(); ++k) longest = std::max(longest, (mesh.positions[ring[k]] - mesh.positions[ring[(k + 1) % ring.size()]]).norm());
    return longest > 0.3 * size;
  };
  const auto is_corner = [&](Index f) { return result->sources.face[f] == no_index && !is_long(f) && mesh.positions[mesh.face(f)[0]].norm() < 0.5 * size; };
  double tangent = 0, angle = 180;
  const EdgeTable now = build_edges(mesh);
  for (Index f = 0; f < mesh.face_count(); ++f)
    if (is_corner(f)) angle = std::min(angle, least_angle(mesh, f));
  for (Index e = 0; e < now.size(); ++e) {
    const auto uses = now.corners_of(e);
    const Index f = now.corner_face[uses[0]], g = now.corner_face[uses[1]];
    const bool beside = (is_corner(f) && is_long(g) && result->sources.face[g] == no_index) || (is_corner(g) && is_long(f) && result->sources.face[f] == no_index);
    if (!beside) continue;
    const Vec3 n = normal_beside(mesh, f, now.vertices[e]), m = normal_beside(mesh, g, now.vertices[e]);
    tangent = std::max(tangent, std::atan2(n.cross(m).norm(), n.dot(m)) * 180 / M_PI);
  }
  row.tangents.push_back(tangent);
  row.angles.push_back(angle);
}

std::string spread(std::vector<double> values, const char* format) {
  if (values.empty()) return "-";
  std::sort(values.begin(), values.end());
  return fmt::format(fmt::runtime(format), values[values.size() / 2]) + " / " + fmt::format(fmt::runtime(format), values[values.size() * 9 / 10]) + " / " + fmt::format(fmt::runtime(format), values.back());
}
std::string spread_up(std::vector<double> values, const char* format) {
  for (double& v : values) v = -v;
  std::string text = spread(values, format);
  text.erase(std::remove(text.begin(), text.end(), '-'), text.end());
  return text;
}

/// Volume of a tetrahedron rolled over by a ball within: Steiner's formula of the tetrahedron between the planes moved in (Bronshtein, Handbook of Mathematics; from memory).
double rolled_over(const Mesh& mesh, double r) {
  std::vector<Vec3> normals;
  Eigen::Vector4d offsets;
  for (Index f = 0; f < 4; ++f) {
    normals.push_back(newell_normal(mesh.positions, mesh.face(f)).normalized());
    offsets[f] = normals.back().dot(mesh.positions[mesh.face(f)[0]]) - r;
  }
  std::vector<Vec3> corner(4);
  for (int v = 0; v < 4; ++v) {
    Eigen::Matrix3d rows;
    Vec3 right;
    int at = 0;
    for (Index f = 0; f < 4; ++f) {
      const auto ring = mesh.face(f);
      if (std::find(ring.begin(), ring.end(), static_cast<Index>(v)) == ring.end()) continue;
      rows.row(at) = normals[f].transpose();
      right[at++] = offsets[f];
    }
    corner[static_cast<std::size_t>(v)] = rows.inverse() * right;
  }
  Mesh within = mesh;
  within.positions = corner;
  double volume = signed_volume(within) + 4.0 / 3 * M_PI * r * r * r;
  const EdgeTable edges = build_edges(within);
  for (Index f = 0; f < 4; ++f) volume += newell_normal(within.positions, within.face(f)).norm() / 2 * r;
  for (Index e = 0; e < edges.size(); ++e) {
    const auto uses = edges.corners_of(e);
    const Vec3 &n = normals[edges.corner_face[uses[0]]], &m = normals[edges.corner_face[uses[1]]];
    volume += (corner[edges.vertices[e][0]] - corner[edges.vertices[e][1]]).norm() * std::atan2(n.cross(m).norm(), n.dot(m)) / 2 * r * r;
  }
  return volume;
}

void tetrahedra(Dice& dice, int cases) {
  std::vector<double> off, ratio;
  for (int k = 0; k < cases; ++k) {
    Mesh mesh;
    for (int v = 0; v < 4; ++v) mesh.add_vertex(10 * dice.direction());
    for (auto f : {std::array<Index, 3>{2, 1, 0}, {0, 1, 3}, {1, 2, 3}, {2, 0, 3}}) mesh.add_face({f[0], f[1], f[2]});
    if (signed_volume(mesh) < 0) std::swap(mesh.positions[0], mesh.positions[1]);
    if (signed_volume(mesh) < 60) continue;
    double area = 0;
    for (Index f = 0; f < 4; ++f) area += newell_normal(mesh.positions, mesh.face(f)).norm() / 2;
    const double r = 0.3 * 3 * signed_volume(mesh) / area;
    const EdgeTable edges = build_edges(mesh);
    const auto list = edges_by_rule(mesh, edges, {EdgeRule::By::all}, {});
    EdgeBlendSettings settings{true, r};
    double before = 0;
    for (Index n : {16u, 32u}) {
      settings.segments = n;
      const auto result = blend_edges({shared(mesh), "tetrahedron", true}, edges, list, settings);
      if (!result || result->report.done.size() != 1) break;
      const double exact = rolled_over(mesh, r), now = std::abs(exact - signed_volume(result->mesh)) / (signed_volume(mesh) - exact);
      if (n == 16) off.push_back(now);
      else ratio.push_back(before / now);
      before = now;
    }
  }
  fmt::print("\n{} random tetrahedra, all edges, against Steiner's formula: {} with all widths\n", cases, ratio.size());
  fmt::print("  off at 16 segments, as a share of what the rounds take (median / 90 % / most): {}\n", spread(off, "{:.5f}"));
  fmt::print("  that divided by what it is at 32 segments (least last): {}\n", spread_up(ratio, "{:.2f}"));
}

}  // namespace

int main(int argc, char** argv) {
  const int corners = argc > 1 ? std::atoi(argv[1]) : 300;
  Dice dice(41);
  std::map<std::string, Row> rows;
  for (int k = 0; k < corners; ++k) {
    const double size = std::array{0.01, 1.0, 1000.0}[static_cast<std::size_t>(k % 3)];
    const Corner corner = random_corner(dice, size, k / 3 % 2 == 1, k % 4 == 3);
    const char* kind = corner.convex == corner.list.size() ? "convex" : corner.convex == 0 ? "concave" : "mixed";
    const double radius = size * dice.between(0.02, 0.1);
    for (const std::string& name : {fmt::format("{} edges, {}", corner.list.size(), kind), fmt::format("size {:g}", size), std::string("all")}) add(rows[name], corner, radius, size);
  }
  fmt::print("{:<18}{:>6}{:>7}{:>7}  {:<24}{:<24}{:<28}{}\n", "corners", "cases", "sound", "whole", "tangents, degrees", "least angle, degrees", "off 128 segments, of taken", "faces / edges / segments");
  for (const auto& [name, row] : rows)
    fmt::print("{:<18}{:>6}{:>7}{:>7}  {:<24}{:<24}{:<28}{}\n", name, row.cases, row.sound, row.whole, spread(row.tangents, "{:.2f}"), spread_up(row.angles, "{:.1f}"), spread(row.volumes, "{:.5f}"), spread(row.faces, "{:.2f}"));
  fmt::print("median / 90 % / worst\n");
  tetrahedra(dice, corners / 3);
  const Row& all = rows["all"];
  return all.sound == all.cases ? 0 : 1;
}
