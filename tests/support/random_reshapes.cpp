// SPDX-License-Identifier: GPL-3.0-or-later
#include "tests/support/random_reshapes.h"

#include <fmt/format.h>

#include <map>

#include "core/modify/choose.h"
#include "core/modify/edits.h"
#include "core/recast/recast.h"
#include "core/recast/reduce.h"
#include "core/recast/sharpen.h"
#include "core/recast/smooth.h"
#include "core/recast/volumes.h"
#include "tests/support/damage.h"
#include "tests/support/dice.h"
#include "tests/support/judged.h"
#include "tests/support/meshes.h"
#include "tests/support/nearest.h"
#include "tests/support/random_cuts.h"

namespace anvil::test {
namespace {

/// Finer by cutting every triangle in four, a few times: something to do for both.
Mesh finer(const Mesh& mesh, unsigned times) {
  Mesh now = in_triangles(mesh);
  for (unsigned k = 0; k < times; ++k) {
    Mesh next;
    next.positions = now.positions;
    std::map<std::pair<Index, Index>, Index> middles;
    const auto middle = [&](Index a, Index b) {
      const auto [it, fresh] = middles.emplace(std::minmax(a, b), 0);
      if (fresh) it->second = next.add_vertex((now.positions[a] + now.positions[b]) / 2);
      return it->second;
    };
    for (std::size_t f = 0; f < now.face_count(); ++f) {
      const auto t = now.face(f);
      const Index a = middle(t[0], t[1]), b = middle(t[1], t[2]), c = middle(t[2], t[0]);
      next.add_face({t[0], a, c});
      next.add_face({a, t[1], b});
      next.add_face({c, b, t[2]});
      next.add_face({a, b, c});
    }
    now = std::move(next);
  }
  return now;
}

double farthest(const Mesh& from, const Mesh& to) {
  const DistanceToSurface distance(to);
  double most = 0;
  for (std::size_t f = 0; f < from.face_count(); ++f) {
    const auto t = from.face(f);
    const Vec3 &a = from.positions[t[0]], &b = from.positions[t[1]], &c = from.positions[t[2]];
    for (const Vec3& p : {a, b, c, Vec3((a + b + c) / 3)}) most = std::max(most, distance(p));
  }
  return most;
}

}  // namespace

std::string what_is_wrong_with_reduce(unsigned seed) {
  Dice dice(seed);
  const Mesh mesh = finer(body(seed), dice.upto(3));
  // Cutting in four rounds: a body that is no longer sound tells nothing.
  if (!judged(mesh).empty()) return {};
  const double size = bounds(mesh).diagonal();
  ReduceSettings settings;
  const double keep = std::pow(dice.share(), 2);
  settings.triangles = static_cast<std::size_t>(keep * static_cast<double>(mesh.face_count()));
  if (dice.upto(3) == 0) settings.triangles = 0, settings.max_deviation = size * std::pow(10, dice.between(-6, -1));
  settings.held.sharper_than = dice.upto(2) == 0 ? 180 : dice.between(5, 60);
  const Reduced reduced = reduce(mesh, "body", settings);
  const std::string what = fmt::format("body {} of {} triangles to {} (deviation {}, held {}): {} left", seed % bodies, mesh.face_count(), settings.triangles, settings.max_deviation, settings.held.sharper_than,
                                       reduced.mesh.face_count());
  if (reduced.mesh.empty()) return what + ", nothing is left";
  if (const std::string wrong = judged(reduced.mesh); !wrong.empty()) return what + ", " + wrong;
  if (!reduced.is_sound) return what + ", taken as not sound";
  if (reduced.report.done.empty() && settings.triangles > 0 && reduced.mesh.face_count() > settings.triangles) return what + ", and nothing is said of it";
  if (settings.max_deviation > 0) {
    const double off = std::max(farthest(mesh, reduced.mesh), farthest(reduced.mesh, mesh));
    if (off > settings.max_deviation * (1 + 1e-6)) return fmt::format("{}, {} off", what, off);
  }
  return {};
}

std::string what_is_wrong_with_smooth(unsigned seed) {
  Dice dice(seed);
  const Mesh mesh = finer(body(seed), dice.upto(3));
  if (!judged(mesh).empty()) return {};
  SmoothSettings settings;
  settings.passes = static_cast<Index>(std::pow(10, dice.between(0, 2.3)));
  settings.strength = dice.between(0.05, 1);
  settings.keep_volume = dice.upto(2) == 0;
  settings.along_normals = dice.upto(3) == 0;
  settings.held.sharper_than = dice.upto(2) == 0 ? 180 : dice.between(5, 60);
  const Smoothed smoothed = smooth(mesh, "body", settings);
  Mesh now = mesh;
  now.positions = smoothed.positions;
  const std::string what = fmt::format("body {} of {} triangles, {} passes by {} (volume {}, normals {}, held {}): {} notes", seed % bodies, mesh.face_count(), settings.passes, settings.strength,
                                       settings.keep_volume, settings.along_normals, settings.held.sharper_than, smoothed.report.done.size());
  for (const Vec3& p : now.positions)
    if (!p.allFinite()) return what + ", a vertex is nowhere";
  if (const std::string wrong = judged(now); !wrong.empty()) return what + ", " + wrong;
  if (settings.keep_volume && smoothed.report.done.empty() && std::abs(signed_volume(now) / signed_volume(mesh) - 1) > 1e-6)
    return fmt::format("{}, volume {} from {}", what, signed_volume(now), signed_volume(mesh));
  return {};
}

namespace {

Mesh rounded_skin(const Mesh& mesh, Dice& dice, double finest) {
  RecastSettings settings;
  settings.detail = bounds(mesh).diagonal() / dice.between(20, finest);
  settings.sharp = false;
  const recast::Part part{shared(mesh), "body"};
  Result<BooleanResult> skin = recast_parts({&part, 1}, settings);
  return skin ? std::move(skin->mesh) : Mesh();
}

}  // namespace

std::string what_is_wrong_with_sharpen(unsigned seed) {
  Dice dice(seed);
  const Mesh mesh = rounded_skin(body(seed), dice, 80);
  if (mesh.empty() || !judged(mesh).empty()) return {};
  SharpenSettings settings;
  settings.sharper_than = dice.between(15, 60);
  const Sharpened sharpened = sharpen(mesh, "body", settings);
  const std::string what = fmt::format("body {} of {} faces, edges over {}: {} moved", seed % bodies, mesh.face_count(), settings.sharper_than, sharpened.moved);
  if (const std::string wrong = judged(sharpened.mesh); !wrong.empty()) return what + ", " + wrong;
  if (!sharpened.is_sound) return what + ", taken as not sound";
  if (sharpened.source.size() != sharpened.mesh.face_count() || std::any_of(sharpened.source.begin(), sharpened.source.end(), [&](Index f) { return f >= mesh.face_count(); })) return what + ", faces without a source";
  for (const auto& [v, w] : sharpened.edges)
    if (std::max(v, w) >= sharpened.mesh.positions.size()) return what + ", edges between vertices that are not there";
  return {};
}

std::string what_is_wrong_with_hand_edges(unsigned seed) {
  Dice dice(seed);
  const unsigned form = dice.upto(3);
  const Mesh mesh = form == 0 ? body(seed) : form == 1 ? finer(body(seed), 1 + dice.upto(2)) : rounded_skin(body(seed), dice, 50);
  if (mesh.empty() || !judged(mesh).empty()) return {};
  const Topology t(mesh);
  const auto any_vertex = [&] {
    Index v;
    do v = dice.upto(static_cast<unsigned>(mesh.positions.size()));
    while (t.faces_at(v).empty());
    return v;
  };
  const auto walk = [&](Index from, unsigned steps) {
    for (; steps > 0; --steps) from = t.other_end(t.edges_at(from)[dice.upto(static_cast<unsigned>(t.edges_at(from).size()))], from);
    return from;
  };
  EdgeSettings settings;
  settings.bend = dice.share();
  settings.to_sides = dice.upto(2) == 0;
  if (dice.upto(4) == 0) settings.reach = bounds(mesh).diagonal() * dice.between(0.001, 0.1);
  Result<Edited> edited = Issue{};
  const unsigned which = dice.upto(4);
  const Index v = any_vertex();
  if (which == 0) {
    std::vector<Index> way{v};
    for (unsigned k = 1 + dice.upto(3); k > 0; --k) way.push_back(walk(way.back(), 2 + dice.upto(12)));
    edited = lead_edge(mesh, t, way, settings);
  } else if (which == 1) {
    Elements run = edge_loop(mesh, t, {ElementKind::edges, {t.edges_at(v)[dice.upto(static_cast<unsigned>(t.edges_at(v).size()))]}});
    run.list.resize(std::min<std::size_t>(run.size(), 2 + dice.upto(40)));
    edited = even_out(mesh, t, run.list, 1 + dice.upto(60), settings);
  } else {
    const auto faces = t.faces_at(v);
    Elements near = which == 2 ? Elements{ElementKind::vertices, {v}} : Elements{ElementKind::faces, {faces.begin(), faces.end()}};
    for (unsigned k = dice.upto(3); k > 0; --k) near = grown(mesh, t, near);
    edited = which == 2 ? bring_together(mesh, t, near.list, dice.upto(2) == 0 ? 0 : bounds(mesh).diagonal() * dice.between(0.001, 0.1)) : rebuild_patch(mesh, t, near.list, dice.between(10, 60));
  }
  const std::string what = fmt::format("body {} of {} faces, form {}, {} at vertex {} (bend {}, to sides {}, reach {})", seed % bodies, mesh.face_count(), form,
                                       std::array{"lead on", "even out", "bring together", "rebuild"}[which], v, settings.bend, settings.to_sides, settings.reach);
  if (!edited) return edited.issue().remedy.empty() ? what + ": refused without a remedy: " + edited.issue().what : std::string();
  const Mesh& made = edited->mesh.mesh;
  if (const std::string wrong = judged(made); !wrong.empty()) return what + ": " + wrong;
  if (edited->mesh.source.size() != made.face_count() || std::any_of(edited->mesh.source.begin(), edited->mesh.source.end(), [&](Index f) { return f >= mesh.face_count(); })) return what + ": faces without a source";
  return {};
}

std::string what_is_wrong_with_damaged(unsigned seed) {
  Dice dice(seed);
  auto [what, torn] = damaged_body(dice, seed, 6000);
  if (torn.empty()) return {};
  const auto somewhere = [](const Mesh& mesh) { return std::all_of(mesh.positions.begin(), mesh.positions.end(), [](const Vec3& p) { return p.allFinite(); }); };
  const auto lies = [&](const Mesh& mesh, bool taken_as_sound) { return !somewhere(mesh) || (taken_as_sound && !mesh.empty() && !judged(mesh).empty()); };
  const recast::Part part{shared(torn), "part"};
  RecastSettings settings;
  const double size = bounds(torn).diagonal();
  settings.detail = size / std::pow(10, dice.between(1.3, 2.18));
  settings.sharp = dice.upto(4) > 0;
  settings.inner = dice.upto(4) > 0;
  if (dice.upto(3) == 0) settings.flatten = dice.share();
  if (dice.upto(4) == 0) settings.smoothing = 1 + dice.upto(20);
  if (dice.upto(4) == 0) settings.offset = size * dice.between(-0.03, 0.05);
  what += fmt::format("; detail {} sharp {} inner {} flatten {} smoothing {} offset {}", settings.detail, settings.sharp, settings.inner, settings.flatten, settings.smoothing, settings.offset);
  const Result<BooleanResult> skin = recast_parts({&part, 1}, settings);
  if (!skin) return what + ": " + skin.issue().message();
  if (lies(skin->mesh, true)) return what + ": the recast is " + judged(skin->mesh);
  ReduceSettings fewer;
  fewer.triangles = torn.face_count() / 4;
  if (dice.upto(2) == 0) fewer.max_deviation = 0.01 * size;
  const Reduced reduced = reduce(torn, "part", fewer);
  if (lies(reduced.mesh, reduced.is_sound)) return what + ": reduced it is " + judged(reduced.mesh);
  SmoothSettings smoother;
  smoother.strength = dice.share();
  smoother.held.sharper_than = dice.upto(2) == 0 ? 180 : 30;
  smoother.hold_borders = dice.upto(2) == 0;
  const Smoothed smoothed = smooth(torn, "part", smoother);
  Mesh now = torn;
  now.positions = smoothed.positions;
  if (lies(now, smoothed.is_sound)) return what + ": smoothed it is " + judged(now);
  ShellSettings wall;
  wall.thickness = 0.05 * size;
  wall.detail = 0.02 * size;
  const Result<BooleanResult> hollow = shell_part(part, wall);
  if (hollow && lies(hollow->mesh, true)) return what + ": hollowed it is " + judged(hollow->mesh);
  const recast::Part box{shared(placed(stock("box", {0.4 * size, 0.4 * size, 0.4 * size}), bounds(torn).hi)), "box"};
  const std::vector<recast::Part> both{part, box};
  const Operation operation = std::array{Operation::unite, Operation::difference, Operation::intersection}[dice.upto(3)];
  const Result<BooleanResult> blend = blend_parts(both, {operation, size / 50, dice.upto(2) * 0.03 * size});
  if (blend && lies(blend->mesh, true)) return what + fmt::format(": blended ({}) it is ", key_of(operation)) + judged(blend->mesh);
  return {};
}

}  // namespace anvil::test
