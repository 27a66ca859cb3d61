// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>
#include <array>

#include "core/mesh/near_marked.h"
#include "core/mesh/sub_mesh.h"
#include "core/mesh/triangulate.h"
#include "core/soundness/analysis.h"
#include "core/soundness/check.h"

namespace anvil {
namespace {

bool is_sound_alone(const Mesh& mesh, std::span<const char> crossings_of, const std::stop_token& stop) {
  Analysis analysis(mesh, 0, stop);
  analysis.crossings_of = crossings_of;
  if (analysis.open_edge_count > 0 || analysis.non_manifold_edge_count > 0) return false;
  std::vector<const Family*> decisive;
  for (const Family* family : family_table())
    if (family->role == FamilyRole::defect) decisive.push_back(family);
  CheckSettings settings;
  settings.families = decisive;
  return check_soundness(analysis, settings).sound;
}

}  // namespace

bool is_sound(const Mesh& mesh, std::span<const Index> piece, Index pieces, const std::stop_token& stop, std::span<const char> crossings_of) {
  if (pieces < 2) return is_sound_alone(mesh, crossings_of, stop);
  for (const SubMesh& one : take_apart(mesh, piece, pieces)) {
    std::vector<char> own;
    if (!crossings_of.empty())
      for (Index f : one.faces) own.push_back(crossings_of[f]);
    if (!is_sound_alone(one.mesh, own, stop)) return false;
  }
  return true;
}

bool crosses_nowhere(const Mesh& mesh, std::span<const char> in_question, const std::stop_token& stop) {
  const TriangleList list = triangulate(mesh);
  std::vector<char> marked(list.face.size());
  for (std::size_t t = 0; t < marked.size(); ++t) marked[t] = in_question[list.face[t]];
  const NearMarked about(mesh.positions, list.triangles, marked);
  if (about.chosen.empty()) return true;
  std::vector<Index> group(mesh.face_count(), no_index);
  for (Index t : about.chosen) group[list.face[t]] = 0;
  const SubMesh near = std::move(take_apart(mesh, group, 1)[0]);
  std::vector<char> own;
  for (Index f : near.faces) own.push_back(in_question[f]);
  Analysis analysis(near.mesh, 0, stop);
  analysis.crossings_of = own;
  constexpr std::array<const Family*, 1> only{&families::crossing_faces};
  CheckSettings settings;
  settings.families = only;
  return check_soundness(analysis, settings).count(families::crossing_faces) == 0;
}

SoundnessReport check_pieces(const Mesh& mesh, std::span<const Index> piece, Index pieces,
                             const std::stop_token& stop, const CheckSettings& settings) {
  if (pieces < 2) return check_soundness(mesh, stop, settings);
  SoundnessReport all;
  all.sound = true;
  all.genus = 0;
  for (const SubMesh& one : take_apart(mesh, piece, pieces)) {
    CheckSettings own = settings;
    own.scope.clear();
    if (!settings.scope.empty())
      for (Index f : one.faces) own.scope.push_back(settings.scope[f]);
    SoundnessReport report = check_soundness(one.mesh, stop, own);
    all.families.resize(report.families.size());
    for (std::size_t f = 0; f < report.families.size(); ++f) {
      all.families[f].family = report.families[f].family;
      all.families[f].count += report.families[f].count;
      for (Defect& defect : report.families[f].defects) {
        for (Index& face : defect.faces) face = one.faces[face];
        for (Index& v : defect.vertices) v = one.vertices[v];
        for (auto& edge : defect.edges) edge = {one.vertices[edge[0]], one.vertices[edge[1]]};
        all.families[f].defects.push_back(std::move(defect));
      }
    }
    all.vertices += report.vertices;
    all.triangles += report.triangles;
    all.polygons += report.polygons;
    all.edges += report.edges;
    all.shells += report.shells;
    all.volume += report.volume;
    all.area += report.area;
    all.bounds.add(report.bounds);
    if (all.genus && report.genus)
      *all.genus += *report.genus;
    else
      all.genus.reset();
    all.sound = all.sound && report.sound;
  }
  return all;
}

}  // namespace anvil
