// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/recast/recast.h"

#include <fmt/format.h>

#include <chrono>

#include "core/boolean/stage_clock.h"
#include "core/mesh/bvh.h"
#include "core/mesh/edges.h"
#include "core/mesh/nearest.h"
#include "core/mesh/sub_mesh.h"
#include "core/mesh/union_find.h"
#include "core/mesh/winding.h"
#include "core/recast/grid_lines.h"
#include "core/recast/pull_in.h"
#include "core/recast/settle_skin.h"
#include "core/recast/uncross.h"

namespace anvil {
namespace {

using namespace recast;

constexpr Note skin_settled{"skin_settled", "1 place of the skin was settled by the engine", "{0} places of the skin were settled by the engine"};
constexpr Note holes_spanned{"holes_spanned", "holes were spanned: 1 face of the skin lies on no part", "holes were spanned: {0} faces of the skin lie on no part"};

/// Is every edge passed once each way, and does every vertex have one fan? With no crossing, and no triangle without area, the skin is sound.
bool is_manifold(const Contour& skin) {
  const std::vector<Index> opposite = find_opposites(skin.triangles, {}, skin.positions.size());
  std::vector<char> doubtful(skin.positions.size(), 0);
  mark_maybe_non_manifold(skin.triangles, opposite, doubtful);
  return std::find(doubtful.begin(), doubtful.end(), 1) == doubtful.end();
}

/// Without shells within another.
void drop_inner_shells(BooleanResult& result) {
  const Mesh& mesh = result.mesh;
  UnionFind joined(mesh.positions.size());
  for (Index f = 0; f < mesh.face_count(); ++f)
    for (Index v : mesh.face(f)) joined.unite(v, mesh.face(f)[0]);
  std::vector<Index> shell_of_vertex;
  const Index count = joined.number(shell_of_vertex);
  std::vector<Index> shell(mesh.face_count());
  for (Index f = 0; f < mesh.face_count(); ++f) shell[f] = shell_of_vertex[mesh.face(f)[0]];
  std::vector<SubMesh> shells = take_apart(mesh, shell, count);
  std::stable_sort(shells.begin(), shells.end(), [](const SubMesh& a, const SubMesh& b) { return a.mesh.empty() || b.mesh.empty() ? b.mesh.empty() && !a.mesh.empty() : std::abs(signed_volume(a.mesh)) > std::abs(signed_volume(b.mesh)); });
  BooleanResult outer;
  std::vector<TriangleList> kept;
  std::vector<const Mesh*> kept_meshes;
  for (const SubMesh& sub : shells) {
    if (sub.mesh.empty()) continue;
    bool within = false;
    for (std::size_t k = 0; k < kept.size() && !within; ++k) within = std::abs(winding_number(kept_meshes[k]->positions, kept[k].triangles, sub.mesh.positions[0])) > 0.5;
    if (within) continue;
    kept.push_back(triangulate(sub.mesh));
    kept_meshes.push_back(&sub.mesh);
    append(outer.mesh, sub.mesh);
    for (Index f : sub.faces) outer.sources.add(result.sources.input[f], result.sources.face[f]);
  }
  result.mesh = std::move(outer.mesh);
  result.sources = std::move(outer.sources);
}

/// What is re-skinned, and how.
struct Task {
  const Soup& soup;
  const RecastSettings& settings;
  boolean::StageClock& stage;
  const Control& control;
};

struct Skin {
  Mesh mesh;
  FaceSources sources;
  std::size_t spanned = 0, crossing = 0;  ///< triangles that lie on no part; that cross others
  bool is_sound = false;
};

Skin skin_on(const Grid& grid, const Task& task) {
  const auto& [soup, settings, stage, control] = task;
  Crossings crossings = stage("sample", 0.4, [&] {
    return soup.closed ? crossings_of_solid(soup.positions, soup.triangles, grid, control) : crossings_of_open(soup.positions, soup.triangles, grid, control);
  });
  const Bvh surface(soup.positions, soup.triangles);
  ContourSettings how;
  how.sharp = settings.sharp;
  how.nearest = [&](const Vec3& p) {
    const Index t = surface.nearest(soup.positions, soup.triangles, p).triangle;
    const auto& [a, b, c] = soup.triangles[t];
    return Tangent{nearest_on_triangle(p, soup.positions[a], soup.positions[b], soup.positions[c]), soup.normals[t]};
  };
  Contour made = stage("contour", 0.6, [&] { return contour(grid, crossings, soup.normals, how, control); });
  crossings = {};
  constexpr double farthest = 0.33;  // details; half of one is what is promised
  constexpr int rounds = 3;
  std::vector<char> crossing = stage("settle", 0.8, [&] { return uncross(made, control); });
  for (int round = 0; round < rounds; ++round) {
    // What is drawn back so as not to cross may cut deep again.
    const std::vector<char> touched = stage("contour", 0.8, [&] { return pull_in(made, soup.normals, how.nearest, farthest * settings.detail, control); });
    if (touched.empty()) break;
    crossing = stage("settle", 0.9, [&] { return uncross(made, control, touched); });
  }
  Skin skin;
  skin.crossing = static_cast<std::size_t>(std::count(crossing.begin(), crossing.end(), 1));
  skin.is_sound = crossing.empty() && stage("check", 0.9, [&] { return is_manifold(made); });
  skin.mesh.positions = std::move(made.positions);
  for (std::size_t t = 0; t < made.triangles.size(); ++t) {
    skin.mesh.add_face(made.triangles[t]);
    const Index source = made.source[t];
    skin.spanned += source == no_index;
    skin.sources.add(source == no_index ? 0 : soup.part[source], source == no_index ? no_index : soup.face[source]);
  }
  return skin;
}

/// @return false where even the engine does not make it sound
bool settle(Skin& skin, const Control& control) {
  std::vector<Index> face;
  if (!settle_skin(skin.mesh, face, control)) return false;
  FaceSources sources;
  for (Index of_skin : face)
    if (of_skin == no_index)
      sources.add(0, no_index);
    else
      sources.add(skin.sources.input[of_skin], skin.sources.face[of_skin]);
  skin.sources = std::move(sources);
  return true;
}

}  // namespace

Result<BooleanResult> recast_parts(std::span<const Part> parts, const RecastSettings& settings, const Control& control) {
  const auto begin = std::chrono::steady_clock::now();
  BooleanResult result;
  boolean::StageClock stage(result.report, control);
  const Soup soup = stage("gather", 0.1, [&] { return soup_of(parts, result.report, control); });
  Box3 box;
  for (const Vec3& p : soup.positions) box.add(p);
  if (soup.triangles.empty()) {
    result.report.empty_reason = "it has no faces";
    return result;
  }
  const std::string& name = parts[0].name;
  Grid grid = grid_around(box, settings.detail);
  constexpr double most_cells = 4e9;
  constexpr Index longest = 60000;  // points along an axis
  if (const double over = std::max(std::cbrt(grid.cells() / most_cells), static_cast<double>(*std::max_element(grid.size.begin(), grid.size.end())) / longest); over > 1)
    return Issue{fmt::format("a detail of {:.4g} is too fine for {:.4g} x {:.4g} x {:.4g}", settings.detail, box.size().x(), box.size().y(), box.size().z()), name, {},
                 fmt::format("take at least {:.3g}", 1.01 * settings.detail * over)};
  // Where the engine cannot settle what is left crossing, another grid leaves it elsewhere, or nowhere.
  constexpr int grids = 4;
  Skin skin;
  bool sound = false;
  for (int k = 0; k < grids && !sound; ++k) {
    skin = skin_on(grid, {soup, settings, stage, control});
    if (skin.mesh.empty()) {
      result.report.empty_reason = "nothing in it is enclosed";
      return result;
    }
    sound = skin.is_sound;
    if (!sound) {
      sound = stage("settle", 1, [&] { return settle(skin, control); });
      if (sound) result.report.tell(skin_settled, std::max<std::size_t>(skin.crossing, 1), name);
    }
    grid.origin -= settings.detail * Vec3(0.31, 0.17, 0.23);
  }
  if (!sound) return Issue{fmt::format("the skin would cross itself at a detail of {:.4g}", settings.detail), name, {}, "take a finer one, or a coarser one"};
  result.mesh = std::move(skin.mesh);
  result.sources = std::move(skin.sources);
  if (skin.spanned > 0) result.report.tell(holes_spanned, skin.spanned, name);
  if (!settings.inner) drop_inner_shells(result);
  std::vector<const Mesh*> from;
  for (const Part& part : parts) from.push_back(part.mesh.get());
  carry_materials(from, result.sources, result.mesh);
  result.piece.assign(result.mesh.face_count(), 0);
  result.free_of_crossings = true;
  result.report.seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - begin).count();
  return result;
}

}  // namespace anvil
