// SPDX-License-Identifier: GPL-3.0-or-later
#include "tests/support/random_cuts.h"

#include <fmt/format.h>

#include <map>
#include <random>

#include "core/mesh/edge_rule.h"
#include "core/mesh/nearest.h"
#include "core/mesh/triangulate.h"
#include "core/shape/curtain.h"
#include "core/shape/push.h"
#include "core/shape/ramp.h"
#include "core/shape/stencil.h"
#include "tests/support/dice.h"
#include "tests/support/judged.h"
#include "tests/support/meshes.h"
#include "tests/support/random_chains.h"

namespace anvil::test {
namespace {

Mesh combined(std::vector<std::pair<Mesh, Operation>> parts) {
  std::vector<Operand> operands;
  for (auto& [mesh, operation] : parts) operands.push_back({shared(std::move(mesh)), "part", operation});
  return std::move(combine(operands)->mesh);
}

Mesh make_body(unsigned number) {
  const auto kind = [](const char* key, std::initializer_list<std::pair<const char*, FieldValue>> values) {
    Primitive primitive = Primitive::of(key);
    for (const auto& [field, value] : values) primitive.values[*field_place(primitive.kind->fields, field)] = value;
    return *make_mesh(primitive);
  };
  const Mesh block = stock("box", {30, 20, 10});
  switch (number) {
    case 0: return cube(10);
    case 1: return block;
    case 2: return placed(block, {1, 2, 3}, {17, 23, 41});
    case 3: return stock("cylinder", {20, 15, 72});
    case 4: return stock("cylinder", {20, 15, 5});
    case 5: return stock("frustum", {20, 8, 15, 24});
    case 6: return stock("frustum", {20, 0, 15, 6});
    case 7: return stock("prism", {20, 12, 6});
    case 8: return stock("star-prism", {30, 14, 8, 5});
    case 9: return stock("torus", {30, 10, 12, 6});
    case 10: return stock("sphere", {20, 12, 6});
    case 11: return stock("icosphere", {20, 1});
    case 12: return kind("polyhedron", {{"shape", std::string("tetrahedron")}});
    case 13: return kind("polyhedron", {{"shape", std::string("octahedron")}});
    case 14: return kind("polyhedron", {{"shape", std::string("dodecahedron")}});
    case 15: return kind("polyhedron", {{"shape", std::string("cuboctahedron")}});
    case 16: return combined({{block, Operation::unite}, {placed(block, {0, 0, 10}, {0, 0, 90}), Operation::unite}});
    case 17: return combined({{block, Operation::unite}, {placed(stock("cylinder", {8, 30, 48}), {5, 2, 0}), Operation::difference}});
    case 18: return combined({{block, Operation::unite}, {placed(cube(10), {10, 5, 0}), Operation::difference}});
    case 19: return combined({{block, Operation::unite}, {placed(stock("box", {40, 6, 6}), {0, 0, 5}), Operation::difference}});
    case 20: return combined({{stock("cylinder", {20, 30, 48}), Operation::unite}, {placed(stock("cylinder", {8, 40, 32}), {0, 0, 0}, {90, 0, 0}), Operation::difference}});
    case 21: return combined({{stock("cylinder", {20, 30, 48}), Operation::unite}, {placed(stock("cylinder", {20, 30, 48}), {0, 0, 0}, {90, 0, 0}), Operation::unite}});
    case 22: return in_triangles(combined({{block, Operation::unite}, {placed(stock("cylinder", {8, 30, 24}), {0, 0, 0}), Operation::difference}}));
    case 23: return combined({{block, Operation::unite}, {placed(stock("sphere", {14, 16, 8}), {5, 0, 5}), Operation::difference}});
    case 24: return combined({{block, Operation::unite}, {placed(block, {4, 3, 2}, {30, 20, 10}), Operation::unite}});
    case 25: return kind("outline", {{"outline", std::string("0,0 30,0 30,20~8 0,20; 10,5 10,10 15,10 15,5")}, {"height", 8.0}});
    case 26: return kind("outline", {{"how", std::string("turned")}, {"outline", std::string("5,0 12,0 12,4 8,4~-2 8,12 5,12")}, {"sides", 24.0}});
    default: {
      const Chain chain = random_chain(1000 + number);
      std::vector<std::pair<Mesh, Operation>> parts{{chain.part, Operation::unite}};
      for (std::size_t k = 0; k < chain.tools.size(); ++k) parts.push_back({chain.tools[k], (number + k) % 3 == 0 ? Operation::unite : Operation::difference});
      Mesh made = combined(std::move(parts));
      return made.empty() ? cube(8) : made;
    }
  }
}

double volume_of(const Mesh& mesh) { return mesh.empty() ? 0 : signed_volume(mesh); }

/// May `less` be more than `more` by rounding, and what contact makes meet?
bool at_most(double less, double more, const Mesh& whole) {
  const double size = bounds(whole).diagonal();
  return less <= more + 1e-9 * std::abs(more) + 4e-6 * size * surface_area(whole);
}

Workpiece as_part(const Mesh& mesh) { return {std::shared_ptr<const Mesh>(std::shared_ptr<const Mesh>(), &mesh), "body", true, nullptr}; }

}  // namespace

const Mesh& body(unsigned number) {
  static std::map<unsigned, Mesh> known;
  const auto it = known.find(number % bodies);
  return it != known.end() ? it->second : known.emplace(number % bodies, make_body(number % bodies)).first->second;
}


std::string what_is_wrong_with_ramp(unsigned seed) {
  Dice dice(seed);
  const Mesh& mesh = body(seed);
  const EdgeTable edges = build_edges(mesh);
  const std::vector<Index> all = edges_by_rule(mesh, edges, {EdgeRule::By::sharp, 1}, {});
  if (all.empty()) return {};
  const std::vector<Index> list{all[dice.upto(static_cast<unsigned>(all.size()))]};
  const Result<StraightEdge> edge = straight_edge(mesh, edges, list);
  const double size = bounds(mesh).diagonal();
  RampSettings settings;
  settings.add = dice.upto(2) == 1;
  settings.first = size * std::pow(10, dice.between(-5, 0.2));
  settings.second = settings.first * std::pow(10, dice.between(-1, 1));
  settings.on_first = dice.upto(2) == 0;
  settings.tapered = dice.upto(3) == 0;
  settings.first_end = dice.upto(2) == 0 ? 0 : settings.first * dice.between(0, 2);
  settings.second_end = settings.first_end == 0 ? 0 : settings.second * dice.between(0, 2);
  settings.runs_out = dice.upto(2) == 0;
  if (!settings.runs_out) {
    settings.begin_gap = dice.upto(2) == 0 ? 0 : (edge->end - edge->begin).norm() * dice.between(-0.3, 0.4);
    settings.begin_angle = dice.upto(2) == 0 ? 0 : dice.between(-60, 60);
    settings.end_angle = dice.upto(2) == 0 ? 0 : dice.between(-60, 60);
  }
  const auto told = [&](const std::string& what) {
    return fmt::format("body {} ramp {} first {} second {} at end {} {} runs out {} gap {} angles {} {}: {}", seed % bodies, settings.add ? "added" : "removed", settings.first, settings.second,
                       settings.first_end, settings.second_end, settings.runs_out, settings.begin_gap, settings.begin_angle, settings.end_angle, what);
  };
  if (!edge) return told(edge.issue().message());
  const Result<Wedge> wedge = ramp_wedge(*edge, settings, bounds(mesh));
  const Result<BooleanResult> result = ramp_cut(as_part(mesh), *edge, settings);
  if (!wedge || !result) return told((!wedge ? wedge.issue() : result.issue()).message());
  if (const std::string wrong = judged("wedge", wedge->mesh); !wrong.empty() && std::abs(settings.begin_angle) + std::abs(settings.end_angle) == 0) return told(wrong);
  if (const std::string wrong = judged("result", result->mesh); !wrong.empty()) return told(wrong);
  const double before = volume_of(mesh), after = volume_of(result->mesh), most = std::abs(volume_of(wedge->mesh));
  const double change = settings.add ? after - before : before - after;
  const double slack = 1e-9 * before + 4e-6 * size * surface_area(mesh);
  if (change < -slack || (change > most + slack && std::abs(settings.begin_angle) + std::abs(settings.end_angle) == 0)) return told(fmt::format("volume {} before, {} after, the wedge has {}", before, after, most));
  return {};
}

std::string what_is_wrong_with_push(unsigned seed) {
  Dice dice(seed);
  const Mesh& mesh = body(seed);
  const EdgeTable edges = build_edges(mesh);
  // A region that grows from a face.
  PushSettings settings;
  std::vector<char> taken(mesh.face_count(), 0);
  settings.faces.push_back(dice.upto(static_cast<unsigned>(mesh.face_count())));
  taken[settings.faces[0]] = 1;
  const std::size_t wanted = 1 + dice.upto(dice.upto(3) == 0 ? 12 : 3);
  for (std::size_t k = 0; k < settings.faces.size() && settings.faces.size() < wanted; ++k)
    for (Index c = mesh.face_offsets[settings.faces[k]]; c < mesh.face_offsets[settings.faces[k] + 1] && settings.faces.size() < wanted; ++c)
      for (Index use : edges.corners_of(edges.corner_edge[c]))
        if (const Index f = edges.corner_face[use]; !taken[f] && settings.faces.size() < wanted) taken[f] = 1, settings.faces.push_back(f);
  const double size = bounds(mesh).diagonal();
  const Vec3 straight = mean_direction(mesh, settings.faces);
  const unsigned way = dice.upto(4);
  if (way == 0 && straight != Vec3::Zero()) settings.direction = straight;
  if (way == 1) settings.direction = (straight + 0.4 * dice.direction()).normalized();
  if (way == 2) settings.direction = std::vector<Vec3>{-Vec3::UnitX(), Vec3::UnitX(), -Vec3::UnitY(), Vec3::UnitY(), -Vec3::UnitZ(), Vec3::UnitZ()}[dice.upto(6)];
  settings.depth = size * std::pow(10, dice.between(-5, 0.2)) * (dice.upto(3) == 0 ? -1 : 1);
  settings.through = dice.upto(4) == 0;
  if (dice.upto(3) == 0) {
    // Just as far as some vertex: flush with a face on the other side, or grazing an edge.
    const Vec3 off = mesh.positions[dice.upto(static_cast<unsigned>(mesh.positions.size()))] - mesh.positions[mesh.face(settings.faces[0])[0]];
    const Vec3 along = settings.direction == Vec3::Zero() ? straight : settings.direction;
    if (std::abs(off.dot(along)) > 1e-3 * size) settings.depth = off.dot(along);
  }
  const auto told = [&](const std::string& what) {
    return fmt::format("body {} push of {} faces from {}, depth {} through {} way {}: {}", seed % bodies, settings.faces.size(), settings.faces[0], settings.depth, settings.through, way, what);
  };
  const Result<BooleanResult> result = push(as_part(mesh), settings);
  if (!result) return result.issue().what.find("along themselves") != std::string::npos ? "" : told(result.issue().message());
  if (const std::string wrong = judged("result", result->mesh); !wrong.empty()) return told(wrong);
  const double before = volume_of(mesh), after = volume_of(result->mesh);
  const bool falls = settings.through || settings.depth > 0;
  if (falls ? !at_most(after, before, mesh) : !at_most(before, after, mesh)) return told(fmt::format("volume {} before, {} after", before, after));
  return {};
}

namespace {

/// The outline's loops as a solid by itself: walls, and caps that are fans from the first corner, which go around points as often as the loop does.
Mesh crossing_prism(const std::vector<Loop2>& loops, const PlaneFrame& frame, double low, double high) {
  Mesh mesh;
  for (const Loop2& loop : loops) {
    const auto first = static_cast<Index>(mesh.positions.size());
    const auto n = static_cast<Index>(loop.size());
    for (const double z : {low, high})
      for (const Vec2& p : loop) mesh.add_vertex(frame.origin + p.x() * frame.u + p.y() * frame.v + z * frame.normal);
    for (Index k = 0; k < n; ++k) mesh.add_face({first + k, first + (k + 1) % n, first + n + (k + 1) % n, first + n + k});
    for (Index k = 1; k + 1 < n; ++k) {
      mesh.add_face({first, first + k + 1, first + k});
      mesh.add_face({first + n, first + n + k, first + n + k + 1});
    }
  }
  return mesh;
}

}  // namespace

std::string what_is_wrong_with_stencil(unsigned seed) {
  Dice dice(seed);
  const Mesh& mesh = body(seed % 20 * 2);
  const double size = bounds(mesh).diagonal();
  StencilSettings settings;
  const Vec3 normal = dice.upto(3) == 0 ? Vec3(Vec3::UnitZ()) : dice.direction();
  settings.frame = frame_seen(bounds(mesh).centre() + 0.1 * size * dice.direction(), normal, dice.direction());
  const unsigned kind = dice.upto(4);
  // Points anyhow cross n² times: nobody draws more than a few of these.
  const unsigned count = 3 + dice.upto(kind == 0 || kind == 3 ? 20 : dice.upto(3) == 0 ? 398 : 30);
  Loop2 loop;
  const double reach = size * dice.between(0.05, 0.6);
  for (unsigned k = 0; k < count; ++k) {
    const double angle = 2 * std::numbers::pi * k / count;
    if (kind == 0) {  // anyhow: crosses itself everywhere
      loop.emplace_back(dice.between(-reach, reach), dice.between(-reach, reach));
    } else if (kind == 1) {  // a wobbling circle, simple
      const double r = reach * (0.6 + 0.3 * std::sin(5 * angle));
      loop.emplace_back(r * std::cos(angle), r * std::sin(angle));
    } else if (kind == 2) {  // a lasso of several eyes
      loop.emplace_back(reach * std::cos(2 * angle), reach * std::sin(3 * angle + 0.3));
    } else {  // along the silhouette: through projected vertices
      loop.push_back(settings.frame.of(mesh.positions[dice.upto(static_cast<unsigned>(mesh.positions.size()))]));
    }
  }
  loop.erase(std::unique(loop.begin(), loop.end()), loop.end());
  if (loop.size() > 1 && loop.front() == loop.back()) loop.pop_back();
  if (loop.size() < 3) return {};
  settings.loops = {loop};
  settings.operation = std::vector<Operation>{Operation::difference, Operation::intersection, Operation::difference, Operation::unite}[dice.upto(4)];
  settings.from = dice.between(-size, -0.2 * size);
  settings.to = dice.between(0, size);
  const auto told = [&](const std::string& what) { return fmt::format("body {} stencil kind {} of {} points, {}: {}", seed % 20 * 2, kind, loop.size(), key_of(settings.operation), what); };
  const Workpiece part = as_part(mesh);
  const Result<BooleanResult> result = stencil_cut(part, settings);
  if (!result) return result.issue().what.find("encloses nothing") != std::string::npos ? "" : told(result.issue().message());
  if (const std::string wrong = judged("result", result->mesh); !wrong.empty()) return told(wrong);
  CombineSettings contact;
  contact.contact = contact_share * size;
  const Result<BooleanResult> other = combine({{part.mesh, "body", Operation::unite, Affine::Identity(), true}, {shared(crossing_prism(settings.loops, settings.frame, -*settings.to, -*settings.from)), "prism", settings.operation}}, {}, contact);
  // A crossing prism whose eyes cancel counts as one that encloses nothing.
  if (!other) return other.issue().what.starts_with(bounds_nothing) ? "" : told("the extruded part: " + other.issue().message());
  const double a = volume_of(result->mesh), b = volume_of(other->mesh);
  // Contact may move what lies within a millionth of the size.
  if (std::abs(a - b) > 1e-9 * volume_of(mesh) + 4e-6 * size * (surface_area(result->mesh) + surface_area(other->mesh))) return told(fmt::format("volume {}, by an extruded part {}", a, b));
  return {};
}

namespace {

/// Where a line of sight meets the faces of a mesh, one triangle after the other.
struct Sighting {
  double depth;
  Index face;
};
std::vector<Sighting> sightings(const Mesh& mesh, const TriangleList& list, const Vec3& p, const Vec3& way) {
  std::vector<Sighting> found;
  for (std::size_t k = 0; k < list.triangles.size(); ++k) {
    const auto& t = list.triangles[k];
    const Vec3 a = mesh.positions[t[0]] - p, b = mesh.positions[t[1]] - p, c = mesh.positions[t[2]] - p;
    const double u = way.dot(b.cross(c)), v = way.dot(c.cross(a)), w = way.dot(a.cross(b)), sum = u + v + w;
    if (sum == 0 || !((u >= 0 && v >= 0 && w >= 0) || (u <= 0 && v <= 0 && w <= 0))) continue;
    found.push_back({((u * a + v * b + w * c) / sum).dot(way), list.face[k]});
  }
  std::sort(found.begin(), found.end(), [](const Sighting& a, const Sighting& b) { return a.depth < b.depth; });
  return found;
}

double distance_to_edge(const Vec3& p, const Vec3& a, const Vec3& b) { return (a + std::clamp((p - a).dot(b - a) / (b - a).squaredNorm(), 0.0, 1.0) * (b - a) - p).norm(); }

}  // namespace

std::string what_is_wrong_with_thrown(unsigned seed) {
  Dice dice(seed);
  const Mesh& mesh = body(seed);
  const TriangleList list = triangulate(mesh);
  const double size = bounds(mesh).diagonal();
  ThrowSettings settings;
  settings.direction = dice.upto(3) == 0 ? Vec3(-Vec3::UnitZ()) : dice.direction();
  settings.through = dice.upto(3) == 0;
  std::vector<char> wanted(mesh.face_count(), 1);
  if (dice.upto(2) == 0) {
    const double share = dice.between(0.05, 0.9);
    for (Index f = 0; f < mesh.face_count(); ++f)
      if (wanted[f] = dice.share() < share; wanted[f] != 0) settings.faces.push_back(f);
    if (settings.faces.empty()) settings.faces.push_back(0), wanted[0] = 1;
  }
  const auto lines = grid_lines(bounds(mesh), bounds(mesh).centre() + 0.05 * size * dice.direction(), settings.direction, size * dice.between(0.04, 0.4), dice.upto(3) == 0 ? 0 : dice.between(0, 90));
  const auto told = [&](const std::string& what) {
    return fmt::format("body {} {} lines thrown {} onto {} of {} faces: {}", seed % bodies, lines->size(), settings.through ? "through" : "first", settings.faces.size(), mesh.face_count(), what);
  };
  const Result<BooleanResult> result = throw_lines(as_part(mesh), *lines, settings);
  if (!result) return result.issue().what.starts_with("no line meets") ? "" : told(result.issue().message());
  if (const std::string wrong = judged("result", result->mesh); !wrong.empty()) return told(wrong);
  const double before = volume_of(mesh), after = volume_of(result->mesh), near = 8e-6 * size;
  if (!at_most(after, before, mesh) || !at_most(before, after, mesh)) return told(fmt::format("volume {} before, {} after", before, after));
  const Vec3 way = settings.direction.normalized(), aside = way.unitOrthogonal(), across = way.cross(aside);
  // Every new edge lies on a chosen face and, if only the first were asked for, in sight: some of it, since no polygon holds a loose end; where a line goes on
  // unseen, or onto another face, its end is led on to the border or to where it comes back.
  const auto is_on_chosen = [&](const Vec3& p) {
    for (std::size_t k = 0; k < list.triangles.size(); ++k) {
      const auto& t = list.triangles[k];
      if (wanted[list.face[k]] != 0 && (nearest_on_triangle(p, mesh.positions[t[0]], mesh.positions[t[1]], mesh.positions[t[2]]) - p).norm() < 4 * near) return true;
    }
    return false;
  };
  const auto is_in_sight = [&](const Vec3& p) {
    // From a little to each side as well: else something grazes the line of sight.
    for (const Vec3& off : {Vec3(Vec3::Zero()), Vec3(aside), Vec3(-aside), Vec3(across), Vec3(-across)})
      if (const auto seen = sightings(mesh, list, p + 4 * near * off, way); seen.empty() || seen.front().depth > -100 * near) return true;
    return false;
  };
  for (const auto& [v, w] : result->fresh_edges) {
    const Vec3 &from = result->mesh.positions[v], &to = result->mesh.positions[w];
    const Vec3 middle = (from + to) / 2;
    const auto is_along = [&](const LinePiece& line) { return std::abs((middle - line[0]).dot((line[1] - line[0]).cross(way).normalized())) < near; };
    if (std::none_of(lines->begin(), lines->end(), is_along)) continue;
    bool seen = false;
    for (int k = 0; k <= 40 && !seen; ++k) {
      const Vec3 p = from + (to - from) * (k / 40.0);
      seen = is_on_chosen(p) && (settings.through || is_in_sight(p));
    }
    if (!seen) return told(fmt::format("nothing of the edge at {} {} {} is where it should be", middle.x(), middle.y(), middle.z()));
  }
  // Any point of a line that falls on such a face is on an edge.
  const EdgeTable edges = build_edges(result->mesh);
  for (int k = 0; k < 20; ++k) {
    const LinePiece& line = (*lines)[dice.upto(static_cast<unsigned>(lines->size()))];
    const Vec3 p = line[0] + dice.share() * (line[1] - line[0]);
    const auto seen = sightings(mesh, list, p, way);
    for (std::size_t n = 0; n < seen.size() && (n == 0 || settings.through); ++n) {
      if (!wanted[seen[n].face] || std::abs(newell_normal(mesh.positions, mesh.face(seen[n].face)).normalized().dot(way)) < 0.05) continue;
      const Vec3 at = p + seen[n].depth * way;
      double nearest = size;
      for (const auto& [v, w] : edges.vertices) nearest = std::min(nearest, distance_to_edge(at, result->mesh.positions[v], result->mesh.positions[w]));
      if (nearest > 40 * near) return told(fmt::format("no edge at {} {} {}, the nearest is {} off", at.x(), at.y(), at.z(), nearest));
    }
  }
  return {};
}

}  // namespace anvil::test
