// SPDX-License-Identifier: GPL-3.0-or-later
#include "tests/support/random_finishes.h"

#include <fmt/format.h>

#include <chrono>

#include "core/mend/mend.h"
#include "core/mesh/edge_rule.h"
#include "core/recast/recast.h"
#include "core/recast/reduce.h"
#include "core/shape/blend/blend.h"
#include "core/soundness/check.h"
#include "tests/support/damage.h"
#include "tests/support/dice.h"
#include "tests/support/judged.h"
#include "tests/support/meshes.h"
#include "tests/support/random_chains.h"
#include "tests/support/random_cuts.h"

namespace anvil::test {
namespace {

constexpr double max_seconds = 20;
constexpr double least_height = 1e-6;  // of the size, twice: a lower face is a needle

FinishesSeen finishes;

bool is_convex(const Mesh& mesh, const EdgeTable& edges, Index e) {
  const auto uses = edges.corners_of(e);
  const Vec3 n = newell_normal(mesh.positions, mesh.face(edges.corner_face[uses[0]])), m = newell_normal(mesh.positions, mesh.face(edges.corner_face[uses[1]]));
  const Vec3 along = mesh.positions[mesh.corners[uses[1]]] - mesh.positions[mesh.corners[uses[0]]];
  return n.cross(m).dot(along) > 0;
}

struct Job {
  std::vector<Index> list;
  EdgeBlendSettings settings;
  std::string words;
  bool all_convex = true, all_concave = true;
};

Job random_job(Dice& dice, const Mesh& mesh, const EdgeTable& edges) {
  Job job;
  const unsigned which = dice.upto(6);
  const double degrees = dice.upto(4) == 0 ? 0.02 : dice.between(5, 60), share = dice.between(0.02, 1);
  for (Index e : edges_by_rule(mesh, edges, {EdgeRule::By::sharp, degrees}, {})) {
    const bool convex = is_convex(mesh, edges, e);
    if (which < 3 || (which == 3 && convex) || (which == 4 && !convex) || (which == 5 && dice.share() < share)) {
      job.list.push_back(e);
      (convex ? job.all_concave : job.all_convex) = false;
    }
  }
  EdgeBlendSettings& s = job.settings;
  const double size = bounds(mesh).diagonal();
  s.round = dice.upto(2) == 1;
  s.segments = 1 + dice.upto(10);
  s.width = size * 1e-5 * std::pow(0.5 / 1e-5, dice.share());
  if (!s.round && dice.upto(4) == 0) s.second_width = s.width * dice.between(0.2, 4);
  if (!s.round && dice.upto(6) == 0) s.angle = dice.between(1, 80);
  if (dice.upto(6) == 0) s.end_width = s.width * dice.between(0.1, 2);
  s.swapped = dice.upto(3) == 0;
  job.words = fmt::format("{} of {} edges ({}, sharper than {:.3g}), width {} ({:.3g} of the size), second {}, angle {}, end {}, segments {}", s.round ? "round" : "chamfer", job.list.size(), which, degrees, s.width,
                          s.width / size, s.second_width, s.angle, s.end_width, s.segments);
  return job;
}

Workpiece part_of(const Mesh& mesh) { return {std::shared_ptr<const Mesh>(std::shared_ptr<const Mesh>(), &mesh), "body", true}; }

Mesh random_stock(Dice& dice, unsigned seed) {
  const Chain chain = random_chain(seed);
  std::vector<Operand> operands{{shared(Mesh(chain.part)), "part", Operation::unite}};
  for (std::size_t k = 0; k < chain.tools.size() && k < 4; ++k) operands.push_back({shared(Mesh(chain.tools[k])), "tool", dice.upto(3) == 0 ? Operation::unite : Operation::difference});
  return combine(operands)->mesh;
}

Mesh random_body(Dice& dice, unsigned seed, std::string& how) {
  how = fmt::format("body {}", seed % bodies);
  if (dice.upto(3) == 0) return body(seed);
  Mesh mesh = random_stock(dice, seed);
  how = "stock";
  if (mesh.empty()) return cube(8);
  switch (dice.upto(10)) {
    case 0: {
      how = "reduced stock";
      ReduceSettings settings;
      settings.triangles = mesh.face_count() / 2 + 4;
      Mesh reduced = reduce(mesh, "stock", settings).mesh;
      if (!reduced.empty()) mesh = std::move(reduced);
      break;
    }
    case 1: {
      how = "re-skinned stock";
      RecastSettings settings;
      settings.detail = bounds(mesh).diagonal() / dice.between(10, 40);
      settings.sharp = dice.upto(2) == 0;
      const std::vector<recast::Part> parts{{shared(Mesh(mesh)), "stock", Affine::Identity()}};
      if (auto skin = recast_parts(parts, settings); skin && !skin->mesh.empty()) mesh = std::move(skin->mesh);
      break;
    }
    case 2: {
      how = "damaged and mended";
      const Mended mended = mend(damaged_body(dice, seed, 2000).mesh, {});
      if (mended.after.sound && !mended.mesh.empty()) mesh = mended.mesh;
      break;
    }
    case 3: {
      how = "rough stock";
      mesh = in_triangles(mesh);
      Mesh rough = mesh;
      const double by = bounds(mesh).diagonal() * 1e-3;
      for (Vec3& p : rough.positions) p += by * dice.share() * dice.direction();
      if (check_soundness(rough).sound) mesh = std::move(rough);
      break;
    }
    case 4:
    case 5:
    case 6: {
      how = "finished stock";
      const EdgeTable edges = build_edges(mesh);
      const Job job = random_job(dice, mesh, edges);
      if (job.list.empty()) break;
      how += " (" + job.words + ")";
      if (auto finished = blend_edges(part_of(mesh), edges, job.list, job.settings)) mesh = std::move(finished->mesh);
      break;
    }
    default: break;
  }
  return mesh;
}

double warp(const Mesh& mesh, std::span<const Index> ring, const Vec3& normal) {
  double off = 0;
  for (Index v : ring) off = std::max(off, std::abs(normal.dot(mesh.positions[v] - mesh.positions[ring[0]])));
  return off;
}

double longest_edge(const Mesh& mesh, Index face) {
  double longest = 0;
  const auto ring = mesh.face(face);
  for (std::size_t k = 0; k < ring.size(); ++k) longest = std::max(longest, (mesh.positions[ring[k]] - mesh.positions[ring[(k + 1) % ring.size()]]).norm());
  return longest;
}

/// What is left of a face lies in its plane.
std::string off_plane(const Mesh& before, const BooleanResult& result) {
  for (Index f = 0; f < result.mesh.face_count(); ++f) {
    const Index from = result.sources.face[f];
    if (from == no_index) continue;
    const Vec3 area = newell_normal(before.positions, before.face(from)), normal = area.stableNormalized();
    if (area.norm() < least_height * bounds(before).diagonal() * longest_edge(before, from)) continue;  // a needle is of the plane of its neighbour
    const double was = warp(before, before.face(from), normal);
    if (was > 1e-9 * bounds(before).diagonal()) continue;  // it falls into its triangles
    const double is = warp(result.mesh, result.mesh.face(f), normal);
    const Vec3& at = result.mesh.positions[result.mesh.face(f)[0]];
    if (is > 1e-8 * bounds(before).diagonal()) return fmt::format("what is left of face {}, at {} {} {}, lies {} off its plane", from, at.x(), at.y(), at.z(), is);
  }
  return {};
}

}  // namespace

const FinishesSeen& finishes_seen() { return finishes; }

std::string what_is_wrong_with_finish(unsigned seed) {
  Dice dice(seed);
  std::string how;
  const Mesh mesh = random_body(dice, seed, how);
  const EdgeTable edges = build_edges(mesh);
  const Job job = random_job(dice, mesh, edges);
  if (job.list.empty()) return {};
  const auto told = [&](const std::string& what) { return fmt::format("{} of {} faces, {}: {}", how, mesh.face_count(), job.words, what); };
  const auto begin = std::chrono::steady_clock::now();
  const Result<BooleanResult> result = blend_edges(part_of(mesh), edges, job.list, job.settings);
  const double seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - begin).count();
  if (!result) return told(result.issue().message());
  ++finishes.cases;
  finishes.edges += job.list.size();
  finishes.slowest = std::max(finishes.slowest, seconds);
  for (const auto& done : result->report.done) {
    if (done.note == &blend_narrower) finishes.narrower += done.count, ++finishes.cases_narrower;
    if (done.note == &blend_left) finishes.left += done.count, ++finishes.cases_left;
  }
  if (seconds > max_seconds) return told(fmt::format("took {:.1f} s", seconds));
  if (const std::string wrong = judged("result", result->mesh); !wrong.empty()) return told(wrong);
  if (const std::string off = off_plane(mesh, *result); !off.empty()) return told(off);
  const double before = signed_volume(mesh), after = signed_volume(result->mesh), slack = 1e-9 * std::abs(before);
  if (job.all_convex && after > before + slack) return told(fmt::format("volume {} before, {} after, and all edges are convex", before, after));
  if (job.all_concave && after < before - slack) return told(fmt::format("volume {} before, {} after, and all edges are concave", before, after));
  return {};
}

}  // namespace anvil::test
