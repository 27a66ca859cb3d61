// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/recast/recast.h"

#include <fmt/format.h>

#include <chrono>

#include "core/boolean/stage_clock.h"
#include "core/mesh/bvh.h"
#include "core/mesh/nearest.h"
#include "core/mesh/sub_mesh.h"
#include "core/mesh/union_find.h"
#include "core/mesh/winding.h"
#include "core/recast/grid_lines.h"
#include "core/recast/uncross.h"
#include "core/soundness/check.h"

namespace anvil {
namespace {

using namespace recast;

constexpr Note skin_settled{"skin_settled", "1 place of the skin was settled by the engine", "{0} places of the skin were settled by the engine"};
constexpr Note holes_spanned{"holes_spanned", "holes were spanned: 1 face of the skin lies on no part", "holes were spanned: {0} faces of the skin lie on no part"};

/// Triangles that cross, sent through the engine as one part that crosses itself.
Result<BooleanResult> resolved(const Mesh& mesh, const Control& control) {
  CombineSettings settings;
  settings.resolve = true;
  return combine({{std::make_shared<const Mesh>(mesh), "the skin"}}, control, settings);
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
  const Grid grid = grid_around(box, settings.detail);
  constexpr double most_cells = 4e9;
  if (grid.cells() > most_cells)
    return Issue{fmt::format("a detail of {:.4g} is too fine for {:.4g} x {:.4g} x {:.4g}", settings.detail, box.size().x(), box.size().y(), box.size().z()), parts[0].name, {},
                 fmt::format("take at least {:.4g}", settings.detail * std::cbrt(grid.cells() / most_cells))};
  const Crossings crossings = stage("sample", 0.4, [&] {
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
  Contour skin = stage("contour", 0.6, [&] { return contour(grid, crossings, soup.normals, how, control); });
  const std::vector<char> crossing = stage("settle", 0.8, [&] { return uncross(skin, control); });
  Mesh& mesh = result.mesh;
  mesh.positions = std::move(skin.positions);
  std::size_t spanned = 0;
  for (std::size_t t = 0; t < skin.triangles.size(); ++t) {
    mesh.add_face(skin.triangles[t]);
    const Index source = skin.source[t];
    spanned += source == no_index;
    result.sources.add(source == no_index ? 0 : soup.part[source], source == no_index ? no_index : soup.face[source]);
  }
  if (mesh.empty()) {
    result.report.empty_reason = "nothing in it is enclosed";
    return result;
  }
  if (!crossing.empty() || !stage("check", 0.9, [&] { return is_sound(mesh, {}, 1, control.stop); })) {
    if (getenv("RAW")) fprintf(stderr, "%s\n", verdict(check_soundness(mesh)).c_str());
    Result<BooleanResult> settled = stage("settle", 1, [&] { return resolved(mesh, control); });
    if (!settled) return settled.issue();
    for (Index& f : settled->sources.face) {
      const Index of_skin = f;
      f = of_skin == no_index ? no_index : result.sources.face[of_skin];
      settled->sources.input[static_cast<std::size_t>(&f - settled->sources.face.data())] = of_skin == no_index ? 0 : result.sources.input[of_skin];
    }
    result.report.tell(skin_settled, static_cast<std::size_t>(std::count(crossing.begin(), crossing.end(), 1)), parts[0].name);
    settled->report.done = std::move(result.report.done);
    settled->report.stages = std::move(result.report.stages);
    result = std::move(*settled);
  }
  if (spanned > 0) result.report.tell(holes_spanned, spanned, parts[0].name);
  if (!settings.inner) drop_inner_shells(result);
  std::vector<const Mesh*> from;
  for (const Part& part : parts) from.push_back(part.mesh.get());
  carry_materials(from, result.sources, result.mesh);
  result.piece.assign(result.mesh.face_count(), 0);
  result.free_of_crossings = true;
  result.fresh_edges = {};
  result.report.seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - begin).count();
  return result;
}

}  // namespace anvil
