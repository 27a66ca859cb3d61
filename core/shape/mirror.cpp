// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/shape/mirror.h"

#include <algorithm>
#include <chrono>
#include <cmath>

#include "core/mesh/edges.h"
#include "core/mesh/triangulate.h"
#include "core/mesh/union_find.h"
#include "core/shape/clip.h"
#include "core/shape/plane_cut.h"
#include "core/soundness/check.h"

namespace anvil {
namespace {

constexpr Note put_on_plane{"put_on_plane", "1 vertex put onto the mirror plane", "{0} vertices put onto the mirror plane"};
constexpr Note seam_welded{"seam_welded", "the halves share 1 vertex in the mirror plane", "the halves share {0} vertices in the mirror plane"};
constexpr Note walls_left_out{"walls_left_out", "1 face in the mirror plane left out, so that no wall stays inside",
                              "{0} faces in the mirror plane left out, so that no wall stays inside"};

/// A half and where its faces come from.
struct Half {
  Mesh mesh;
  std::vector<Index> face;  // source face; no_index for a cap
  OperationReport report;
};

/// The corners at each vertex of the seam, by fans: corners of faces that hang together over edges at the vertex.
struct Fans {
  std::vector<Index> of_corner;  // fan of each corner; no_index at vertices off the plane
  std::vector<char> on_seam;     // per fan: it ends at the seam, so both halves share its vertex
  bool manifold = true;          // no edge would get more than two faces
};

Fans find_fans(const Mesh& half, const std::vector<char>& on_plane) {
  const EdgeTable edges = build_edges(half);
  UnionFind corners(half.corners.size());
  auto corner_at = [&](Index use, Index vertex) {
    return half.corners[use] == vertex ? use : next_corner(half, edges.corner_face[use], use);
  };
  for (Index e = 0; e < edges.size(); ++e)
    for (Index v : edges.vertices[e])
      if (on_plane[v])
        for (Index use : edges.corners_of(e)) corners.unite(corner_at(edges.corners_of(e)[0], v), corner_at(use, v));
  Fans fans;
  std::vector<Index> set_of;
  fans.on_seam.assign(corners.number(set_of), 0);
  fans.of_corner.assign(half.corners.size(), no_index);
  for (Index c = 0; c < half.corners.size(); ++c)
    if (on_plane[half.corners[c]]) fans.of_corner[c] = set_of[c];
  auto ends_in_plane = [&](Index e) { return on_plane[edges.vertices[e][0]] && on_plane[edges.vertices[e][1]]; };
  for (Index e = 0; e < edges.size(); ++e)
    if (ends_in_plane(e) && edges.corners_of(e).size() == 1)
      for (Index v : edges.vertices[e]) fans.on_seam[set_of[corner_at(edges.corners_of(e)[0], v)]] = 1;
  for (Index e = 0; e < edges.size(); ++e) {
    if (!ends_in_plane(e) || edges.corners_of(e).size() < 2) continue;
    // Its two faces and their images share it where both ends are shared.
    const Index use = edges.corners_of(e)[0];
    if (fans.on_seam[set_of[corner_at(use, edges.vertices[e][0])]] && fans.on_seam[set_of[corner_at(use, edges.vertices[e][1])]])
      fans.manifold = false;
  }
  return fans;
}

Mesh reflection_of(Mesh mesh, const HalfSpace& plane) {
  for (Vec3& p : mesh.positions) p = plane.reflected(p);
  reverse_faces(mesh);
  return mesh;
}

/// A face with two edges of the seam behind each other, which rounding has bent a little, may be cut into triangles one of
/// which lies in the plane. Its image would be cut the same way, and the two triangles be a doubled face. Then the face
/// comes as triangles, and each that lies in the plane is flipped with its neighbour.
/// @return rings of corners of the face; the face itself where nothing has to be done
std::vector<std::vector<Index>> without_flat_ears(const Mesh& half, Index face, const std::vector<char>& on_plane) {
  const auto ring = half.face(face);
  std::vector<std::vector<Index>> whole{{ring.begin(), ring.end()}};
  bool bent = false;
  for (std::size_t k = 0; k < ring.size(); ++k)
    bent = bent || (on_plane[ring[k]] && on_plane[ring[(k + 1) % ring.size()]] && on_plane[ring[(k + 2) % ring.size()]]);
  if (std::count_if(ring.begin(), ring.end(), [&](Index v) { return on_plane[v] != 0; }) < 3) return whole;
  std::vector<Triangle> triangles = triangulate(half.positions, ring);
  auto is_flat = [&](const Triangle& t) { return on_plane[t[0]] && on_plane[t[1]] && on_plane[t[2]]; };
  if (!bent && std::none_of(triangles.begin(), triangles.end(), is_flat)) return whole;
  for (std::size_t round = 0; round < triangles.size(); ++round)
    for (Triangle& t : triangles) {
      if (!is_flat(t)) continue;
      for (std::size_t k = 0; k < 3; ++k) {
        const Index a = t[k], b = t[(k + 1) % 3], c = t[(k + 2) % 3];
        // The neighbour across a–b, when it reaches off the plane.
        const auto other = std::find_if(triangles.begin(), triangles.end(), [&](const Triangle& u) {
          return &u != &t && !is_flat(u) && std::find(u.begin(), u.end(), a) != u.end() && std::find(u.begin(), u.end(), b) != u.end();
        });
        if (other == triangles.end()) continue;
        const Index d = *std::find_if(other->begin(), other->end(), [&](Index v) { return v != a && v != b; });
        t = {a, d, c};
        *other = {d, b, c};
        break;
      }
    }
  std::vector<std::vector<Index>> rings;
  for (const Triangle& t : triangles) rings.emplace_back(t.begin(), t.end());
  return rings;
}

/// Cut into triangles, do more than two of them meet at an edge? Two faces that share two vertices but no edge there may be
/// cut along the same line.
bool cut_along_one_line(const Mesh& mesh) {
  Mesh triangles;
  triangles.positions = mesh.positions;
  for (const Triangle& t : triangulate(mesh).triangles) triangles.add_face(t);
  const EdgeTable edges = build_edges(triangles);
  for (std::size_t e = 0; e < edges.size(); ++e)
    if (edges.corners_of(e).size() > 2) return true;
  return false;
}

class Mirror {
 public:
  Mirror(const std::shared_ptr<const Mesh>& mesh, const std::string& name, const MirrorSettings& settings,
         const Control& control)
      : source_(mesh), name_(name), settings_(settings), control_(control), plane_(settings.point, settings.normal) {}

  Result<Mirrored> run() {
    if (source_->empty()) return Issue{"it has no faces", name_, {}, "leave the mirror out"};
    flatten_seam();
    double lowest = 0, highest = 0;
    for (Index v : part_->corners) {
      const double height = on_plane(part_->positions[v]) ? 0 : plane_.height(part_->positions[v]);
      lowest = std::min(lowest, height);
      highest = std::max(highest, height);
    }
    if (settings_.how == MirrorHow::copy && lowest < 0 && highest > 0) return united(part_, {});
    Half half;
    if (settings_.how == MirrorHow::half && highest > 0) {
      if (lowest == 0) return empty("nothing of the part lies on the side that is kept: turn the plane over");
      Result<Half> below = lower_half();
      if (!below) return below.issue();
      half = std::move(*below);
    } else {
      half.mesh = *part_;
      half.mesh.origins.clear();
      for (Index f = 0; f < part_->face_count(); ++f) half.face.push_back(f);
    }
    if (half.mesh.empty()) return empty(half.report.empty_reason);
    return joined(half);
  }

 private:
  bool on_plane(const Vec3& p) const { return std::abs(plane_.height(p)) <= rounding_; }

  void flatten_seam() {
    rounding_ = 8 * std::ldexp(bounds(*source_).hi.cwiseAbs().cwiseMax(bounds(*source_).lo.cwiseAbs()).maxCoeff() +
                                   settings_.point.cwiseAbs().maxCoeff(), -52);
    contact_ = contact_tolerance({}, bounds(*source_));
    const double near = std::max({settings_.weld, rounding_, contact_});
    auto moved = std::make_shared<Mesh>(*source_);
    moved->origins.clear();
    std::size_t count = 0;
    for (Vec3& p : moved->positions) {
      const double height = std::abs(plane_.height(p));
      if (height > near) continue;
      const Vec3 q = plane_.projected(p);
      count += height > rounding_;
      p = q;
    }
    tell_put_on_plane(count);
    part_ = count > 0 ? std::shared_ptr<const Mesh>(std::move(moved)) : source_;
  }

  void tell_put_on_plane(std::size_t count) {
    if (count == 0) return;
    const auto told = std::find_if(report_.done.begin(), report_.done.end(), [](const auto& d) { return d.note == &put_on_plane; });
    if (told != report_.done.end())
      told->count += count;
    else
      report_.tell(put_on_plane, count, name_);
  }

  Result<Half> lower_half() {
    PlaneCutSettings cut;
    cut.point = settings_.point;
    cut.normal = settings_.normal;
    cut.keep = KeepSide::below;
    cut.free_of_crossings = settings_.free_of_crossings && part_ == source_;
    cut.cache = settings_.cache;
    Result<BooleanResult> below = plane_cut(part_, name_, cut, control_);
    if (below) return Half{std::move(below->mesh), std::move(below->sources.face), std::move(below->report)};
    if (!below.issue().what.starts_with(bounds_nothing)) return below.issue();
    Clipped clipped = clip(*part_, plane_, rounding_);
    return Half{std::move(clipped.below), std::move(clipped.below_face), {}};
  }

  Result<Mirrored> empty(const std::string& why) {
    Mirrored mirrored;
    mirrored.result.report = report_;
    mirrored.result.report.empty_reason = why;
    return mirrored;
  }

  /// The half and its image with one vertex where they meet in the plane, and without faces in it.
  Result<Mirrored> joined(Half& half) {
    report_.add(std::move(half.report));
    const auto original = std::make_shared<const Mesh>(half.mesh);
    std::vector<char> on(half.mesh.positions.size(), 0), of_cap = on;
    for (std::size_t f = 0; f < half.face.size(); ++f)
      if (half.face[f] == no_index)
        for (Index v : half.mesh.face(f)) of_cap[v] = 1;
    std::size_t moved = 0;
    for (std::size_t v = 0; v < on.size(); ++v) {
      Vec3& p = half.mesh.positions[v];
      // Contact may have moved corners of the cut a little off the plane; they are meant to lie in it.
      on[v] = on_plane(p) || (of_cap[v] && std::abs(plane_.height(p)) <= 2 * contact_);
      if (!on[v]) continue;
      moved += std::abs(plane_.height(p)) > rounding_;
      p = plane_.projected(p);
    }
    tell_put_on_plane(moved);
    const Mesh& whole = half.mesh;
    Mesh open;
    std::vector<Index> source;
    std::size_t walls = 0;
    open.positions = whole.positions;
    for (Index f = 0; f < whole.face_count(); ++f) {
      const auto ring = whole.face(f);
      if (std::all_of(ring.begin(), ring.end(), [&](Index v) { return on[v] != 0; })) {
        ++walls;
        continue;
      }
      for (const std::vector<Index>& part : without_flat_ears(whole, f, on)) {
        open.add_face(part);
        source.push_back(f);
      }
    }
    if (open.empty()) return empty("all of it lies in the mirror plane");
    const Fans fans = find_fans(open, on);
    if (!fans.manifold) return united(original, half.face);

    Mirrored mirrored;
    Mesh& mesh = mirrored.result.mesh;
    // Ids of each vertex off the plane, and of each fan on it, in the half and in its image.
    std::vector<std::array<Index, 2>> of_vertex(open.positions.size(), {no_index, no_index}),
        of_fan(fans.on_seam.size(), {no_index, no_index});
    std::size_t shared = 0;
    std::vector<std::vector<Index>> rings[2];
    for (Index f = 0; f < open.face_count(); ++f) {
      std::vector<Index> ring, image;
      for (Index c = open.face_offsets[f]; c < open.face_offsets[f + 1]; ++c) {
        const Index v = open.corners[c], fan = fans.of_corner[c];
        auto& id = fan == no_index ? of_vertex[v] : of_fan[fan];
        if (id[0] == no_index) {
          const Vec3& p = open.positions[v];
          id[0] = id[1] = mesh.add_vertex(p);
          if (fan == no_index || !fans.on_seam[fan])
            id[1] = mesh.add_vertex(fan == no_index ? plane_.reflected(p) : p);
          else
            ++shared;
        }
        ring.push_back(id[0]);
        image.push_back(id[1]);
      }
      std::reverse(image.begin() + 1, image.end());
      rings[0].push_back(std::move(ring));
      rings[1].push_back(std::move(image));
    }
    FaceSources& sources = mirrored.result.sources;
    for (const auto& side : rings)
      for (std::size_t f = 0; f < side.size(); ++f) {
        mesh.add_face(side[f]);
        sources.add(0, half.face[source[f]]);
      }
    for (const auto& ring : rings[0])
      for (std::size_t k = 0; k < ring.size(); ++k)
        seam_candidate(ring[k], ring[(k + 1) % ring.size()], mesh, mirrored.result.fresh_edges);
    std::sort(mirrored.result.fresh_edges.begin(), mirrored.result.fresh_edges.end());
    carry(mirrored.result);
    check_stop(control_);
    mirrored.soundness = check_soundness(mesh, control_.stop);
    if ((!mirrored.soundness.sound || cut_along_one_line(mesh)) && is_sound(*original, {}, 1, control_.stop)) return united(original, half.face);
    if (shared > 0) report_.tell(seam_welded, shared, name_);
    if (walls > 0) report_.tell(walls_left_out, walls, name_);
    mirrored.result.report = std::move(report_);
    mirrored.result.open_on_purpose = false;
    return mirrored;
  }

  void seam_candidate(Index v, Index w, const Mesh& mesh, std::vector<std::array<Index, 2>>& seam) const {
    if (on_plane(mesh.positions[v]) && on_plane(mesh.positions[w])) seam.push_back({std::min(v, w), std::max(v, w)});
  }

  void carry(BooleanResult& result) {
    result.piece.assign(result.mesh.face_count(), 0);
    const std::array<const Mesh*, 1> part{source_.get()};
    carry_slots(part, result.sources, result.mesh);
  }

  /// The part, or its half, and the image by the engine.
  /// @param face  of a half: its source faces; empty: it is the part itself
  Result<Mirrored> united(const std::shared_ptr<const Mesh>& half, const std::vector<Index>& face) {
    const auto image = std::make_shared<const Mesh>(reflection_of(*half, plane_));
    Mirrored mirrored;
    const std::vector<Operand> operands{{half, name_, Operation::unite, Affine::Identity(), false, {}},
                                        {image, name_, Operation::unite, Affine::Identity(), false, {}}};
    // A half meets its image exactly: nothing has to be brought to meet, and so nothing moves.
    CombineSettings exact;
    if (!face.empty()) exact.contact = 0;
    Result<BooleanResult> result = combine(operands, control_, exact);
    if (!result && !result.issue().what.starts_with(bounds_nothing)) return result.issue();
    if (!result)
      result = combine({{half, name_, Operation::unite, Affine::Identity(), false, {}},
                        {image, name_, Operation::gather, Affine::Identity(), false, {}}},
                       control_);
    if (!result) return result.issue();
    mirrored.result = std::move(*result);
    for (Index& input : mirrored.result.sources.input) input = 0;
    if (!face.empty())
      for (Index& f : mirrored.result.sources.face) f = f == no_index ? no_index : face[f];
    carry(mirrored.result);
    mirrored.result.report.begin_with(std::move(report_));
    mirrored.soundness = check_soundness(mirrored.result.mesh, control_.stop);
    return mirrored;
  }

  const std::shared_ptr<const Mesh>& source_;
  const std::string& name_;
  const MirrorSettings& settings_;
  const Control& control_;
  HalfSpace plane_;
  std::shared_ptr<const Mesh> part_;
  double contact_ = 0;   // the contact tolerance of the part
  double rounding_ = 0;  // what lies nearer to the plane than this lies in it
  OperationReport report_;
};

}  // namespace

Result<Mirrored> mirror(const std::shared_ptr<const Mesh>& mesh, const std::string& name, const MirrorSettings& settings,
                        const Control& control) {
  const auto begin = std::chrono::steady_clock::now();
  Result<Mirrored> mirrored = Mirror(mesh, name, settings, control).run();
  if (mirrored) mirrored->result.report.seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - begin).count();
  return mirrored;
}

}  // namespace anvil
