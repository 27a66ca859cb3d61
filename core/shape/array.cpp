// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/shape/array.h"

#include <algorithm>
#include <cmath>
#include <utility>

#include "core/turn.h"

namespace anvil {
namespace {

/// Points one behind the other.
struct Chain {
  std::vector<Index> vertices;
  bool closed = false;
};

/// Throws Stopped.
std::vector<Chain> chains_of(std::span<const std::array<Index, 2>> edges, const Control& control) {
  struct End {
    Index at, to, edge;
  };
  std::vector<End> ends;  // by vertex, then as the edges come
  for (Index e = 0; e < edges.size(); ++e) ends.push_back({edges[e][0], edges[e][1], e}), ends.push_back({edges[e][1], edges[e][0], e});
  std::stable_sort(ends.begin(), ends.end(), [](const End& a, const End& b) { return a.at < b.at; });
  check_stop(control);
  const auto beside = [&](Index v) {
    const auto range = std::equal_range(ends.begin(), ends.end(), End{v, 0, 0}, [](const End& a, const End& b) { return a.at < b.at; });
    return std::span<const End>(range.first, range.second);
  };
  std::vector<char> used(edges.size(), 0);
  const auto walk = [&](End leg) {
    Chain chain{{leg.at}, false};
    while (!std::exchange(used[leg.edge], 1)) {
      check_stop(control);
      chain.vertices.push_back(leg.to);
      const auto next = beside(leg.to);
      if (next.size() != 2) break;
      leg = next[next[0].edge == leg.edge ? 1 : 0];
    }
    if (chain.vertices.size() > 2 && chain.vertices.front() == chain.vertices.back()) chain.closed = true;
    return chain;
  };
  std::vector<Chain> chains;
  // Those with ends first; what is left are circles.
  for (const bool with_ends : {true, false})
    for (const End& end : ends)
      if (!used[end.edge] && (!with_ends || beside(end.at).size() != 2)) chains.push_back(walk(end));
  return chains;
}

Affine place_at(const Vec3& p, const Vec3& along, const Vec3& normal, bool turned) {
  Affine place = Affine::Identity();
  place.translation() = p;
  if (!turned) return place;
  const Vec3 x = along.stableNormalized();
  Vec3 z = normal - normal.dot(x) * x;
  z = z.norm() > 1e-9 ? Vec3(z.normalized()) : Vec3(x.unitOrthogonal());
  place.linear().col(0) = x;
  place.linear().col(1) = z.cross(x);
  place.linear().col(2) = z;
  return place;
}

}  // namespace

std::vector<Affine> grid_places(const Vec3& counts, const Vec3& spacing) {
  std::vector<Affine> places;
  for (double k = 0; k < counts.z(); ++k)
    for (double j = 0; j < counts.y(); ++j)
      for (double i = 0; i < counts.x(); ++i) places.emplace_back(Eigen::Translation3d(i * spacing.x(), j * spacing.y(), k * spacing.z()));
  return places;
}

std::vector<Affine> ring_places(const Vec3& point, const Vec3& axis, Index count, double degrees) {
  std::vector<Affine> places;
  const double step = std::abs(degrees) == 360 ? degrees / count : count > 1 ? degrees / (count - 1) : 0;
  for (Index k = 0; k < count; ++k) places.push_back(turn_about(point, axis, step * k));
  return places;
}

std::vector<Vec3> vertex_normals(const Mesh& mesh) {
  std::vector<Vec3> normals(mesh.positions.size(), Vec3::Zero());
  for (Index f = 0; f < mesh.face_count(); ++f) {
    const auto ring = mesh.face(f);
    const Vec3 normal = newell_normal(mesh.positions, ring).stableNormalized();
    for (std::size_t k = 0; k < ring.size(); ++k) {
      const Vec3 &here = mesh.positions[ring[k]], u = mesh.positions[ring[(k + 1) % ring.size()]] - here, v = mesh.positions[ring[(k + ring.size() - 1) % ring.size()]] - here;
      normals[ring[k]] += std::atan2(u.cross(v).norm(), u.dot(v)) * normal;
    }
  }
  for (Vec3& n : normals)
    if (n != Vec3::Zero()) n.stableNormalize();
  return normals;
}

double chain_place_count(const Mesh& mesh, std::span<const std::array<Index, 2>> edges, const ChainSettings& settings, const Control& control) {
  const auto chains = static_cast<double>(chains_of(edges, control).size());
  if (settings.count > 0) return settings.count * chains;
  double length = 0;
  for (const auto& [v, w] : edges) length += (mesh.positions[v] - mesh.positions[w]).norm();
  return length / settings.distance + chains;
}

std::vector<Affine> chain_places(const Mesh& mesh, std::span<const std::array<Index, 2>> edges, std::span<const Vec3> normals, const ChainSettings& settings, const Control& control) {
  std::vector<Affine> places;
  for (const Chain& chain : chains_of(edges, control)) {
    check_stop(control);
    std::vector<double> until{0};
    for (std::size_t k = 1; k < chain.vertices.size(); ++k)
      until.push_back(until.back() + (mesh.positions[chain.vertices[k]] - mesh.positions[chain.vertices[k - 1]]).norm());
    const double length = until.back();
    if (!(length > 0)) continue;
    const double gaps = settings.count == 0 ? length / settings.distance : chain.closed ? settings.count : std::max<double>(1, settings.count - 1);
    const double step = length / gaps;
    // A chain by distance ends where the next one would not fit; the end of a circle is its beginning.
    const auto count = settings.count > 0 ? settings.count : static_cast<Index>(std::floor(gaps + (chain.closed ? -1e-9 : 1e-9))) + 1;
    std::size_t piece = 1;
    for (Index k = 0; k < count; ++k) {
      const double at = std::min(k * step, length);
      while (piece + 1 < until.size() && until[piece] < at) ++piece;
      const Index v = chain.vertices[piece - 1], w = chain.vertices[piece];
      const Vec3 along = mesh.positions[w] - mesh.positions[v];
      const double share = until[piece] > until[piece - 1] ? (at - until[piece - 1]) / (until[piece] - until[piece - 1]) : 0;
      places.push_back(place_at(mesh.positions[v] + share * along, along, (1 - share) * normals[v] + share * normals[w], settings.turned));
    }
  }
  return places;
}

Result<BooleanResult> repeat(const Workpiece& part, std::span<const Affine> places, const Control& control) {
  if (places.size() == 1 && places[0].matrix() == Affine::Identity().matrix()) return unchanged_part(*part.mesh);
  std::vector<Operand> operands;
  for (const Affine& place : places) operands.push_back({part.mesh, part.name, Operation::unite, place, part.free_of_crossings});
  CombineSettings settings;
  settings.contact = contact_tolerance({}, bounds(*part.mesh));
  Result<BooleanResult> result = combine(operands, control, settings);
  if (!result && result.issue().what.starts_with(bounds_nothing)) {
    for (Operand& operand : operands) operand.operation = Operation::gather;
    result = combine(operands, control, settings);
  }
  if (!result) return result;
  std::fill(result->sources.input.begin(), result->sources.input.end(), 0);
  const std::array<const Mesh*, 1> from{part.mesh.get()};
  carry_slots(from, result->sources, result->mesh);
  return result;
}

namespace {

std::vector<Operand> placed(std::span<const RepeatedTool> tools, std::span<const Affine> places, Operation operation) {
  std::vector<Operand> operands;
  for (std::size_t k = 0; k < places.size(); ++k) {
    const RepeatedTool& tool = tools[k % tools.size()];
    operands.push_back({tool.mesh, tool.name, operation, places[k] * tool.placement, tool.free_of_crossings});
  }
  return operands;
}

}  // namespace

Result<BooleanResult> combine_at_places(const Workpiece& part, std::span<const RepeatedTool> tools, std::span<const Affine> places, Operation operation,
                                        const Control& control) {
  if (places.empty()) return unchanged_part(*part.mesh);
  std::vector<Operand> operands{{part.mesh, part.name, Operation::unite, Affine::Identity(), part.free_of_crossings}};
  // What each of a tray does by itself as well needs no body of its own.
  const bool one_by_one = operation == Operation::unite || operation == Operation::difference || operation == Operation::gather;
  std::vector<Operand> copies = placed(tools, places, one_by_one ? operation : Operation::unite);
  if (one_by_one) {
    for (Operand& copy : copies) operands.push_back(std::move(copy));
  } else {
    Operand tray;
    tray.name = "the copies";
    tray.operation = operation;
    tray.tray = std::move(copies);
    operands.push_back(std::move(tray));
  }
  CombineSettings settings;
  settings.cache = part.cache;
  settings.contact = contact_tolerance({}, bounds(*part.mesh));
  Result<BooleanResult> result = combine(operands, control, settings);
  if (!result) return result;
  for (Index& input : result->sources.input)
    if (input != 0) input = 1 + (input - 1) % static_cast<Index>(tools.size());
  return result;
}

Result<BooleanResult> copies_at_places(std::span<const RepeatedTool> tools, std::span<const Affine> places, bool united, const Control& control) {
  Result<BooleanResult> result = combine(placed(tools, places, united ? Operation::unite : Operation::gather), control);
  if (!result) return result;
  for (Index& input : result->sources.input) input = 1 + input % static_cast<Index>(tools.size());
  return result;
}

}  // namespace anvil
