// SPDX-License-Identifier: GPL-3.0-or-later
// Rounds of random corners of 3 to 6 edges, and of random tetrahedra, as a table: soundness by CGAL, tangents, volumes and the shape of faces.
//   build/release/tests/corner_table [CORNERS]
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>

#include "core/mesh/edge_rule.h"
#include "core/shape/blend/blend.h"
#include "tests/support/dice.h"
#include "tests/support/meshes.h"
#include "tests/support/referee.h"

namespace {

using namespace anvil;
using namespace anvil::test;

constexpr Index segments = 16, fine = 128;

/// A corner at the origin between rays downwards, which a point below closes; the cavity of a box where it is concave.
struct Corner {
  Mesh mesh;
  std::vector<Index> list;  // edges at the corner
  std::size_t convex = 0;
};
Corner random_corner(Dice& dice, double size, bool inside_out) {
  const auto k = static_cast<Index>(3 + dice.upto(4));
  std::vector<double> at;
  for (Index i = 0; i < k; ++i) at.push_back((i + dice.between(-0.28, 0.28)) * 2 * M_PI / k);
  const double steep = dice.between(0.3, 1.6), uneven = dice.upto(2) == 0 ? 0.1 : 0.6;
  Corner corner;
  Mesh& mesh = corner.mesh;
  mesh.add_vertex({0, 0, 0});
  for (double angle : at) mesh.add_vertex(size * Vec3(std::cos(angle), std::sin(angle), -steep * (1 + uneven * dice.between(-0.5, 0.5))));
  mesh.add_vertex({0, 0, -4 * steep * size});
  for (Index i = 0; i < k; ++i) {
    const Index a = 1 + i, b = 1 + (i + 1) % k;
    mesh.add_face({0, a, b});
    mesh.add_face({k + 1, b, a});
  }
  if (inside_out) {
    Mesh turned = stock("box", {8 * size, 8 * size, 20 * size});
    const auto first = static_cast<Index>(turned.positions.size());
    for (const Vec3& p : mesh.positions) turned.add_vertex(p);
    for (Index f = 0; f < mesh.face_count(); ++f) {
      const auto ring = mesh.face(f);
      turned.add_face({ring[2] + first, ring[1] + first, ring[0] + first});
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
  if (std::any_of(result->report.done.begin(), result->report.done.end(), [](const auto& told) { return told.note != &blend_done; })) return;
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
    const Vec3 n = newell_normal(mesh.positions, mesh.face(f)), m = newell_normal(mesh.positions, mesh.face(g));
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
    const Corner corner = random_corner(dice, size, k % 4 == 3);
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
