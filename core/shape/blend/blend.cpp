// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/shape/blend/blend.h"

#include <fmt/format.h>

#include <algorithm>
#include <chrono>
#include <cmath>
#include <optional>

#include "core/mesh/attributes.h"
#include "core/mesh/triangulate.h"
#include "core/mesh/union_find.h"
#include "core/shape/blend/side_proof.h"
#include "core/soundness/check.h"

namespace anvil {
namespace {

// What a width becomes where it is to blame; the square of that at the second time, and so on. Where trim lines cross a little less may do; a way that cannot be gone, or faces that cross, seldom go by little.
constexpr double less_for_trims = 0.7, less_for_rest = 0.4;
constexpr std::size_t patience = 6;   // after each so many failed proofs widths become less by one such factor more
constexpr double flat_within = 1e-9;  // of the part's diagonal: faces that lie so nearly in one plane are one facet

/// The piece of every face; of a part in one piece 0.
std::vector<Index> pieces_of(const Workpiece& part, const BlendMesh& made) {
  std::vector<Index> piece(made.mesh.face_count(), 0);
  if (part.pieces > 1)
    for (std::size_t f = 0; f < piece.size(); ++f) piece[f] = part.piece[made.beside[f]];
  return piece;
}

/// Lays strips out, builds the mesh and proves it, with ever less width where that fails.
class BlendRun {
 public:
  BlendRun(const BlendTask& task, const Workpiece& part, const Control& control) : part_(part), control_(control), ends_(task), sides_(task), proven_(task.graph.cells.size(), 0) {}

  /// Makes widths less until the mesh is sound. Each round lessens one at least, and a width is 0 after a few times: it ends.
  BlendMesh run() {
    std::size_t failed = 0;
    while (true) {
      check_stop(control_);
      ends_.settle();
      StripLayout layout(ends_);
      FacetTrimmer trimmer(layout);
      double less = less_for_rest;
      std::set<Index> at_fault = layout.blamed;
      if (at_fault.empty()) {
        at_fault = trimmer.run();
        if (!at_fault.empty()) less = less_for_trims;
      }
      if (at_fault.empty()) {
        BlendMesh made = make_blend_mesh(layout, trimmer);
        at_fault = made.blamed;
        if (at_fault.empty() && prove(made, at_fault)) return made;
        less = std::pow(less_for_rest, 1 + ++failed / patience);
      }
      bool any = false;
      for (Index c : at_fault) any = ends_.blame(c, less) || any;
      if (!any) ends_.give_up();  // what stands in the way is not known
    }
  }

  const StripEnds& ends() const { return ends_; }

 private:
  /// Is the mesh sound, and does all that is new lie on the right side? What has been laid out anew since the last proof is looked at first, and all of it only if nothing is found there.
  /// @param at_fault  set to the cells of what is wrong; empty if nothing is
  bool prove(const BlendMesh& made, std::set<Index>& at_fault) {
    for (Index c : ends_.take_placed()) proven_[c] = 0;
    for (const bool all : {false, true}) {
      std::vector<char> scope(made.mesh.face_count());
      bool any = false, whole = true;
      for (std::size_t f = 0; f < scope.size(); ++f) {
        const auto& cells = made.cells[f];
        if (cells[0] == no_index) continue;
        scope[f] = all || !proven_[cells[0]] || !proven_[cells[1]];
        (scope[f] ? any : whole) = scope[f] != 0;
      }
      if (any && !is_sound(made.mesh, pieces_of(part_, made), part_.pieces, control_.stop, scope)) {
        std::fill(proven_.begin(), proven_.end(), 1);
        at_fault = cells_at_fault(made, std::move(scope));
        return false;
      }
      if (whole) break;
    }
    at_fault = sides_.faults(made);
    return at_fault.empty();
  }

  std::set<Index> cells_at_fault(const BlendMesh& made, std::vector<char> changed) const {
    CheckSettings settings;
    settings.scope = std::move(changed);
    const SoundnessReport report = check_pieces(made.mesh, pieces_of(part_, made), part_.pieces, control_.stop, settings);
    std::set<Index> cells;
    for (const auto& family : report.families) {
      if (family.family->role != FamilyRole::defect) continue;
      for (const Defect& defect : family.defects)
        for (Index f : defect.faces)
          for (Index c : made.cells[f])
            if (c != no_index) cells.insert(c);
    }
    return cells;
  }

  const Workpiece& part_;
  const Control& control_;
  StripEnds ends_;
  SideProof sides_;
  std::vector<char> proven_;  // per cell: not laid out anew since the last proof, whose defects lay elsewhere
};

/// Faces of different materials, parts or regions are different facets though they lie in one plane.
std::vector<char> kept_edges(const Mesh& mesh, const EdgeTable& edges, std::span<const Index> list) {
  std::vector<char> kept(edges.size(), 0);
  for (Index e : list) kept[e] = 1;
  if (mesh.materials.of_face.empty() && mesh.regions.empty() && mesh.origins.empty()) return kept;
  for (Index e = 0; e < edges.size(); ++e) {
    const auto uses = edges.corners_of(e);
    if (uses.size() != 2) continue;
    const Index f = edges.corner_face[uses[0]], g = edges.corner_face[uses[1]];
    const bool alike = (mesh.materials.of_face.empty() || mesh.materials.of_face[f] == mesh.materials.of_face[g]) && (mesh.regions.empty() || mesh.regions[f] == mesh.regions[g]) &&
                       origin_of(mesh, f).part == origin_of(mesh, g).part;
    if (!alike) kept[e] = 1;
  }
  return kept;
}

Issue not_closed(const Workpiece& part, const EdgeTable& edges) {
  for (Index e = 0; e < edges.size(); ++e)
    if (const auto uses = edges.corners_of(e); uses.size() != 2 || part.mesh->corners[uses[0]] == part.mesh->corners[uses[1]])
      return Issue{"is not closed and manifold, so that what lies beside its edges is not known", part.name, {(part.mesh->positions[edges.vertices[e][0]] + part.mesh->positions[edges.vertices[e][1]]) / 2}, "mend it first"};
  return Issue{"has an edge from a vertex to itself", part.name, {}, "mend it first"};
}

void tell_lengths(const StripEnds& ends, OperationReport& report) {
  struct Sum {
    std::size_t count = 0;
    double length = 0;
    std::vector<Vec3> places;
  } done, narrower, left;
  const BlendTask& task = ends.task();
  const FeatureGraph& graph = task.graph;
  for (Index e = 0; e < graph.edge_count(); ++e) {
    if (!task.chosen[e]) continue;
    const double a = ends.scale(ends.cell(2 * e)), b = ends.scale(ends.cell(2 * e + 1));
    const Vec3 &p = task.mesh.positions[graph.halves[2 * e].from], &q = task.mesh.positions[graph.halves[2 * e].to];
    const auto add = [&](Sum& sum, const Vec3& place) {
      ++sum.count;
      sum.length += task.sections[e].length;
      if (sum.places.size() < OperationReport::max_places) sum.places.push_back(place);
    };
    if (!ends.is_finished(2 * e)) {
      add(left, (p + q) / 2);
      continue;
    }
    add(done, (p + q) / 2);
    if (a < 1 || b < 1) add(narrower, a < b ? p : q);
  }
  const auto tell = [&](const Note& note, Sum& sum) {
    if (sum.count > 0) report.tell(note, sum.count, fmt::format("{:.4g} mm", sum.length), std::move(sum.places));
  };
  done.places.clear();
  tell(blend_done, done);
  tell(blend_narrower, narrower);
  tell(blend_left, left);
}

std::vector<WholeStrip> whole_strips(const StripEnds& ends) {
  std::vector<WholeStrip> whole;
  const BlendTask& task = ends.task();
  for (Index e = 0; e < task.graph.edge_count(); ++e) {
    const Index h = 2 * e;
    if (!task.chosen[e] || !ends.is_finished(h) || ends.scale(ends.cell(h)) < 1 || ends.scale(ends.cell(h + 1)) < 1) continue;
    const CrossSection& s = task.sections[e];
    const double growth = (task.growth[h] + task.growth[h + 1]) / 2;
    const Vec3 between = (s.left + s.right).stableNormalized();
    whole.push_back({(task.vertex_of(ends.cell(h)) + task.vertex_of(ends.cell(h + 1))) / 2, growth * s.left_width * s.left, s.convex ? Vec3(-between) : between, s.length});
  }
  return whole;
}

void give_material(const std::string& name, const BlendMesh& made, Mesh& mesh) {
  SlotNames names(mesh.materials);
  if (mesh.materials.of_face.empty()) mesh.materials.of_face.assign(mesh.face_count(), names.place_of(""));
  const Index slot = names.place_of(name);
  for (Index f = 0; f < mesh.face_count(); ++f)
    if (made.source[f] == no_index) mesh.materials.of_face[f] = slot;
}

/// Strips and corners that hang together are regions of their own, where the part has numbers.
void number_regions(const BlendMesh& made, Mesh& mesh) {
  if (mesh.regions.empty()) return;
  const EdgeTable edges = build_edges(mesh);
  UnionFind sets(mesh.face_count());
  for (Index e = 0; e < edges.size(); ++e) {
    const auto uses = edges.corners_of(e);
    if (uses.size() != 2) continue;
    const Index f = edges.corner_face[uses[0]], g = edges.corner_face[uses[1]];
    if (made.source[f] == no_index && made.source[g] == no_index) sets.unite(f, g);
  }
  Index last = *std::max_element(mesh.regions.begin(), mesh.regions.end());
  std::vector<Index> number(mesh.face_count(), 0);
  for (Index f = 0; f < mesh.face_count(); ++f) {
    if (made.source[f] != no_index) continue;
    Index& of_set = number[sets.find(f)];
    if (of_set == 0) of_set = ++last;
    mesh.regions[f] = of_set;
  }
}

}  // namespace

namespace {

/// A part whose faces at the ends of some edges are flat: those that are not fall into the triangles by which they are judged.
struct Flattened {
  Mesh mesh;
  std::vector<Index> source;  ///< per face
};
std::optional<Flattened> flattened(const Mesh& mesh, const EdgeTable& edges, std::span<const Index> list, double within) {
  std::vector<char> at_end(mesh.positions.size(), 0);
  for (Index e : list)
    for (Index v : edges.vertices[e]) at_end[v] = 1;
  const auto is_warped = [&](std::span<const Index> ring) {
    if (ring.size() < 4 || std::none_of(ring.begin(), ring.end(), [&](Index v) { return at_end[v] != 0; })) return false;
    const Vec3 n = newell_normal(mesh.positions, ring).stableNormalized();
    return std::any_of(ring.begin(), ring.end(), [&](Index v) { return std::abs(n.dot(mesh.positions[v] - mesh.positions[ring[0]])) > within; });
  };
  std::vector<char> warped(mesh.face_count(), 0);
  bool any = false;
  for (Index f = 0; f < mesh.face_count(); ++f)
    if (is_warped(mesh.face(f))) warped[f] = 1, any = true;
  if (!any) return std::nullopt;
  Flattened flat;
  flat.mesh.positions = mesh.positions;
  for (Index f = 0; f < mesh.face_count(); ++f) {
    if (!warped[f]) {
      flat.mesh.add_face(mesh.face(f));
      flat.source.push_back(f);
      continue;
    }
    for (const Triangle& t : triangulate(mesh.positions, mesh.face(f))) {
      flat.mesh.add_face({t[0], t[1], t[2]});
      flat.source.push_back(f);
    }
  }
  carry_attributes(mesh, flat.source, flat.mesh);
  return flat;
}

/// The same edges in another mesh with the same vertices.
std::vector<Index> edges_again(const EdgeTable& edges, std::span<const Index> list, const EdgeTable& now) {
  std::vector<Index> again;
  for (Index e : list) {
    const auto it = std::lower_bound(now.vertices.begin(), now.vertices.end(), edges.vertices[e]);
    if (it != now.vertices.end() && *it == edges.vertices[e]) again.push_back(static_cast<Index>(it - now.vertices.begin()));
  }
  return again;
}

}  // namespace

Result<BooleanResult> blend_edges(const Workpiece& part, const EdgeTable& edges, std::span<const Index> list, const EdgeBlendSettings& settings, const Control& control, std::vector<WholeStrip>* whole) {
  const auto begin = std::chrono::steady_clock::now();
  const Mesh& mesh = *part.mesh;
  if (list.empty()) return unchanged_part(mesh);
  if (auto flat = flattened(mesh, edges, list, flat_within * bounds(mesh).diagonal())) {
    const auto shared = std::make_shared<const Mesh>(std::move(flat->mesh));
    std::vector<Index> piece;
    if (part.pieces > 1)
      for (Index f : flat->source) piece.push_back(part.piece[f]);
    const EdgeTable now = build_edges(*shared);
    Result<BooleanResult> result = blend_edges({shared, part.name, part.free_of_crossings, nullptr, piece, part.pieces}, now, edges_again(edges, list, now), settings, control, whole);
    if (result)
      for (Index& f : result->sources.face)
        if (f != no_index) f = flat->source[f];
    return result;
  }
  const auto graph = FeatureGraph::of(mesh, edges, flat_within * bounds(mesh).diagonal(), kept_edges(mesh, edges, list), control);
  if (!graph) return not_closed(part, edges);
  const BlendTask task(mesh, edges, *graph, list, settings, control);
  BlendRun work(task, part, control);
  BlendMesh made = work.run();
  BooleanResult result;
  result.piece = pieces_of(part, made);
  result.pieces = part.pieces;
  tell_lengths(work.ends(), result.report);
  if (whole != nullptr) *whole = whole_strips(work.ends());
  result.mesh = std::move(made.mesh);
  result.fresh_edges = std::move(made.long_edges);
  FaceSources beside;
  for (std::size_t f = 0; f < result.mesh.face_count(); ++f) {
    result.sources.add(0, made.source[f]);
    beside.add(0, made.beside[f]);
  }
  result.free_of_crossings = part.free_of_crossings;
  const std::array<const Mesh*, 1> from{&mesh};
  carry_slots(from, beside, result.mesh);
  if (!settings.material.empty()) give_material(settings.material, made, result.mesh);
  number_regions(made, result.mesh);
  result.report.seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - begin).count();
  return result;
}

}  // namespace anvil
