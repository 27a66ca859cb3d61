// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/boolean/output.h"

#include <tbb/parallel_for.h>
#include <tbb/parallel_invoke.h>

#include <algorithm>
#include <atomic>
#include <tuple>

namespace anvil::boolean {
namespace {

class Output {
 public:
  Output(const std::vector<PreparedPtr>& parts, const Rounded& rounded, std::span<const Index> place, BooleanResult& result)
      : parts_(parts),
        rounded_(rounded),
        result_(result),
        mesh_(result.mesh),
        id_(rounded.points.size(), no_index) {
    begin_.push_back(0);
    for (const PreparedPtr& p : parts)
      begin_.push_back(begin_.back() + static_cast<Index>(p->triangles.size()));
    if (rounded.seam.empty()) return;
    const Untouched& untouched = *rounded.seam.source;
    kept_.assign(untouched.part_of.size(), not_kept);
    for (const UntouchedSeam::Edge& edge : rounded.seam.edges) {
      const UntouchedRegion& region = rounded.seam.regions[edge.region];
      if (region.trimmed) continue;
      const Index part = untouched.part_of[region.source];
      for (Index v : {edge.from, edge.to})
        boundary_.push_back({region.part, part, rounded.seam.given[place[v]] - untouched.parts[part].first_point, v});
    }
    std::sort(boundary_.begin(), boundary_.end());
    boundary_.erase(std::unique(boundary_.begin(), boundary_.end()), boundary_.end());
  }

  void run(std::vector<OutFace>& faces) {
    auto key = [&](const OutFace& face) {
      const FaceProvenance& provenance = rounded_.provenance[face.triangle];
      return std::tuple(provenance.piece, provenance.origin, face.triangle);
    };
    auto before = [&](const OutFace& a, const OutFace& b) { return key(a) < key(b); };
    // Nearly all are in order already.
    const auto rest = std::is_sorted_until(faces.begin(), faces.end(), before);
    std::sort(rest, faces.end(), before);
    std::inplace_merge(faces.begin(), rest, faces.end(), before);
    reserve(faces);
    add_near_points(faces);
    Index pieces = 0;
    for (const FaceProvenance& provenance : rounded_.provenance) pieces = std::max(pieces, provenance.piece + 1);
    auto it = faces.begin();
    for (Index piece = 0; piece < pieces; ++piece) {
      std::vector<char> has_untouched(parts_.size(), 0);
      for (const UntouchedRegion& region : rounded_.seam.regions)
        if (region.part == piece && !region.trimmed) {
          kept_[region.source] = region.flipped ? flipped : as_it_is;
          has_untouched[rounded_.seam.source->part_of[region.source]] = 1;
        }
      for (Index part = 0; part < parts_.size(); ++part) {
        auto end = it;
        while (end != faces.end() && rounded_.provenance[end->triangle].piece == piece &&
               rounded_.provenance[end->triangle].origin < begin_[part + 1])
          ++end;
        add_part(piece, part, has_untouched[part] != 0, {it, end});
        it = end;
      }
      for (const UntouchedRegion& region : rounded_.seam.regions) kept_[region.source] = not_kept;
    }
  }

  /// Edges along which faces of different parts meet, and those that were scored. Only near faces have such.
  void mark_fresh(const std::set<std::pair<Index, Index>>& scored) {
    struct Use {
      Index lo, hi, part;
      bool operator<(const Use& o) const { return std::tuple(lo, hi, part) < std::tuple(o.lo, o.hi, o.part); }
    };
    std::vector<Use> uses;
    for (Index f : near_faces_) {
      const auto ring = mesh_.face(f);
      for (std::size_t k = 0; k < ring.size(); ++k) {
        const Index a = ring[k], b = ring[(k + 1) % ring.size()];
        if (maybe_non_manifold_[a] && maybe_non_manifold_[b]) uses.push_back({std::min(a, b), std::max(a, b), result_.sources.input[f]});
      }
    }
    std::sort(uses.begin(), uses.end());
    auto& fresh = result_.fresh_edges;
    for (std::size_t i = 0; i < uses.size();) {
      std::size_t j = i;
      while (j < uses.size() && uses[j].lo == uses[i].lo && uses[j].hi == uses[i].hi) ++j;
      if (uses[i].part != uses[j - 1].part) fresh.push_back({uses[i].lo, uses[i].hi});
      i = j;
    }
    for (const auto& [a, b] : scored)
      if (id_[a] != no_index && id_[b] != no_index)
        fresh.push_back({std::min(id_[a], id_[b]), std::max(id_[a], id_[b])});
    std::sort(fresh.begin(), fresh.end());
    fresh.erase(std::unique(fresh.begin(), fresh.end()), fresh.end());
  }

  std::size_t untouched_faces = 0;

 private:
  /// A point of a part that near and untouched triangles of a piece have in common.
  struct BoundaryPoint {
    Index piece, part, point, vertex;
    auto operator<=>(const BoundaryPoint&) const = default;
  };

  /// Room for all that may come, so that nothing is copied to make room.
  void reserve(const std::vector<OutFace>& faces) {
    std::size_t count = faces.size(), corners = 0, points = rounded_.points.size();
    for (const OutFace& face : faces) corners += face.ring.size();
    for (std::size_t k = 0; k < parts_.size() && !rounded_.seam.empty(); ++k) {
      const Untouched::Part& part = rounded_.seam.source->parts[k];
      if (part.all_near) continue;
      const std::size_t untouched = parts_[k]->triangles.size() - part.near.size();
      count += untouched;
      corners += 3 * untouched;
      points += parts_[k]->points.size();
    }
    mesh_.positions.reserve(points);
    mesh_.corners.reserve(corners);
    mesh_.face_offsets.reserve(count + 1);
    for (auto* list : {&result_.sources.input, &result_.sources.face, &result_.piece}) list->reserve(count);
  }

  void add_near_points(const std::vector<OutFace>& faces) {
    for (const OutFace& face : faces)
      for (Index v : face.ring) id_[v] = 0;
    for (const BoundaryPoint& boundary : boundary_) id_[boundary.vertex] = 0;
    for (std::size_t v = 0; v < id_.size(); ++v) {
      if (id_[v] == no_index) continue;
      id_[v] = mesh_.add_vertex(rounded_.points[v]);
      maybe_non_manifold_.push_back(rounded_.maybe_non_manifold[v]);
    }
  }

  enum Kept : char { not_kept, as_it_is, flipped };

  /// Some of the triangles of a part, one after the other.
  struct Chunk {
    std::span<const OutFace> near;
    Index begin = 0, end = 0;  ///< triangles of the part
    Index faces = 0, untouched = 0, corners = 0;
    Index first_face = 0, first_corner = 0;
  };
  static constexpr Index chunk_size = 4096;

  /// Triangles [begin, end) of a part, all kept as part of one untouched region.
  struct Run {
    Index begin, end;
    bool flipped;
  };
  /// Calls visit(run) for what of the chunk is kept as part of an untouched region, in order.
  template <class Visit>
  void for_each_run(const Chunk& chunk, Index part, Visit&& visit) const {
    const Index* region_of = rounded_.seam.source->parts[part].region_of.data();
    for (Index t = chunk.begin; t < chunk.end;) {
      const Index begin = t, region = region_of[t];
      while (t < chunk.end && region_of[t] == region) ++t;
      if (region != no_index && kept_[region] != not_kept) visit(Run{begin, t, kept_[region] == flipped});
    }
  }
  /// Calls visit(triangle) for the first triangle of each face that begins in a run.
  template <class Visit>
  static void for_each_face(const Prepared& p, const Run& run, Visit&& visit) {
    for (Index t = run.begin; t < run.end; ++t)
      if (t == 0 || p.face[t - 1] != p.face[t]) visit(t);
  }
  /// The ring of a face of a part, as it is in the part's own mesh or the other way round.
  template <class Visit>
  static void for_each_corner(const Prepared& p, Index t, bool is_flipped, Visit&& visit) {
    const auto ring = p.mesh->face(p.face[t]);
    const bool backward = p.mirrored != is_flipped;
    for (std::size_t k = 0; k < ring.size(); ++k) {
      const Index v = ring[backward && k > 0 ? ring.size() - k : k];
      visit(p.point_of(v));
    }
  }

  bool keeps_all_untouched(Index part) const {
    const std::vector<Index>& part_of = rounded_.seam.source->part_of;
    for (std::size_t s = 0; s < part_of.size(); ++s)
      if (part_of[s] == part && kept_[s] == not_kept) return false;
    return true;
  }

  /// The faces that a piece has of one part.
  void add_part(Index piece, Index part, bool has_untouched, std::span<const OutFace> near) {
    const Prepared& p = *parts_[part];
    std::vector<Chunk> chunks;
    if (!has_untouched) {
      chunks.push_back({near});
    } else {
      const auto triangles = static_cast<Index>(p.triangles.size());
      auto it = near.begin();
      for (Index begin = 0; begin < triangles; begin += chunk_size) {
        const Index end = std::min(triangles, begin + chunk_size);
        const auto first = it;
        while (it != near.end() && rounded_.provenance[it->triangle].origin < begin_[part] + end) ++it;
        chunks.push_back({{first, it}, begin, end});
      }
    }
    // Where all that is untouched is kept, its points are all but those of near triangles (and those at the boundary, which have
    // their vertices); else those of what is kept.
    const bool all_kept = has_untouched && p.all_points_used && keeps_all_untouched(part);
    std::vector<Index> vertex(has_untouched ? p.points.size() : 0, all_kept ? 0 : no_index);
    if (all_kept)
      for (Index t : rounded_.seam.source->parts[part].near)
        for (Index v : p.triangles[t]) vertex[v] = no_index;
    tbb::parallel_for(std::size_t{0}, chunks.size(), [&](std::size_t k) {
      Chunk& chunk = chunks[k];
      Index untouched = 0, corners = 0;
      for (const OutFace& face : chunk.near) corners += static_cast<Index>(face.ring.size());
      Index* const used = vertex.data();
      auto use = [&](Index point) {
        ++corners;
        if (!all_kept) std::atomic_ref(used[point]).store(0, std::memory_order_relaxed);
      };
      if (has_untouched)
        for_each_run(chunk, part, [&](const Run& run) {
          if (p.one_triangle_each) {
            untouched += run.end - run.begin;
            if (all_kept) {
              corners += 3 * (run.end - run.begin);
              return;
            }
            for (Index t = run.begin; t < run.end; ++t)
              for (Index v : p.triangles[t]) use(v);
            return;
          }
          for_each_face(p, run, [&](Index t) {
            ++untouched;
            for_each_corner(p, t, run.flipped, use);
          });
        });
      chunk.untouched = untouched;
      chunk.faces = untouched + static_cast<Index>(chunk.near.size());
      chunk.corners = corners;
    });
    auto face = static_cast<Index>(mesh_.face_count());
    auto corner = static_cast<Index>(mesh_.corners.size());
    for (Chunk& chunk : chunks) {
      chunk.first_face = face;
      chunk.first_corner = corner;
      face += chunk.faces;
      corner += chunk.corners;
      untouched_faces += chunk.untouched;
    }
    tbb::parallel_invoke([&] { mesh_.corners.resize(corner); },
                         [&] {
                           mesh_.face_offsets.resize(face + 1);
                           result_.sources.face.resize(face);
                           result_.sources.input.resize(face, part);
                           result_.piece.resize(face, piece);
                         },
                         [&] { number_untouched_points(piece, part, vertex); });
    const std::size_t near_before = near_faces_.size();
    near_faces_.resize(near_before + near.size());
    tbb::parallel_for(std::size_t{0}, chunks.size(), [&](std::size_t k) {
      write(chunks[k], part, has_untouched, vertex,
            near_faces_.data() + near_before + (chunks[k].near.data() - near.data()));
    });
  }

  /// @param vertex  per point of the part: not no_index where an untouched face needs it; then the vertex of the
  /// mesh
  void number_untouched_points(Index piece, Index part, std::vector<Index>& vertex) {
    const Prepared& p = *parts_[part];
    // Those at the boundary have theirs; the others get the next ones.
    auto boundary = std::lower_bound(boundary_.begin(), boundary_.end(), BoundaryPoint{piece, part, 0, 0});
    const auto at_boundary = boundary;
    for (; boundary != boundary_.end() && boundary->piece == piece && boundary->part == part; ++boundary)
      vertex[boundary->point] = no_index;
    std::vector<Vec3>& positions = mesh_.positions;
    std::size_t count = positions.size();
    positions.resize(count + vertex.size() -
                     static_cast<std::size_t>(std::count(vertex.begin(), vertex.end(), no_index)));
    for (std::size_t v = 0; v < vertex.size(); ++v) {
      if (vertex[v] == no_index) continue;
      positions[count] = p.points[v];
      vertex[v] = static_cast<Index>(count++);
    }
    for (auto it = at_boundary; it != boundary; ++it) vertex[it->point] = id_[it->vertex];
  }

  void write(const Chunk& chunk, Index part, bool has_untouched, const std::vector<Index>& vertex,
             Index* near_faces) {
    const Prepared& p = *parts_[part];
    Index face = chunk.first_face, corner = chunk.first_corner;
    Index* const face_of = result_.sources.face.data();
    Index *const offsets = mesh_.face_offsets.data(), *const corners = mesh_.corners.data();
    const Index *const id = vertex.data(), *const source = p.face.data();
    auto end_face = [&](Index from) {
      face_of[face] = from;
      offsets[++face] = corner;
    };
    auto it = chunk.near.begin();
    Index next_near = it == chunk.near.end() ? no_index : rounded_.provenance[it->triangle].origin;
    auto add_near_before = [&](Index origin) {
      while (next_near < origin) {
        for (Index v : it->ring) corners[corner++] = id_[v];
        *near_faces++ = face;
        end_face(source[next_near - begin_[part]]);
        next_near = ++it == chunk.near.end() ? no_index : rounded_.provenance[it->triangle].origin;
      }
    };
    if (has_untouched)
      for_each_run(chunk, part, [&](const Run& run) {
        add_near_before(begin_[part] + run.begin);
        if (p.one_triangle_each) {
          const Index count = run.end - run.begin;
          std::copy_n(source + run.begin, count, face_of + face);
          const Index before = corner;
          Index* const end = offsets + face + 1;
          for (Index k = 0; k < count; ++k) end[k] = before + 3 * (k + 1);
          Index* to = corners + corner;
          const bool is_flipped = run.flipped;
          for (const auto& [a, b, c] : std::span(p.triangles).subspan(run.begin, count)) {
            to[0] = id[a];
            to[1] = id[is_flipped ? c : b];
            to[2] = id[is_flipped ? b : c];
            to += 3;
          }
          face += count;
          corner += 3 * count;
          return;
        }
        for_each_face(p, run, [&](Index t) {
          for_each_corner(p, t, run.flipped, [&](Index point) { corners[corner++] = id[point]; });
          end_face(source[t]);
        });
      });
    add_near_before(no_index);
  }

  const std::vector<PreparedPtr>& parts_;
  const Rounded& rounded_;
  BooleanResult& result_;
  Mesh& mesh_;
  std::vector<Index> begin_;   ///< first triangle of each part among those of all
  std::vector<Index> id_;      ///< vertex of the mesh for each point of the rounded result
  std::vector<char> maybe_non_manifold_;  ///< per vertex that is of the rounded result
  std::vector<BoundaryPoint> boundary_;  ///< sorted
  std::vector<char> kept_;     ///< per untouched region of Untouched, how the piece at hand has it
  std::vector<Index> near_faces_;
};

}  // namespace

std::size_t write_out(const std::vector<PreparedPtr>& parts, const Rounded& rounded,
                      std::span<const Index> place, std::vector<OutFace> faces, const std::set<std::pair<Index, Index>>& scored,
                      BooleanResult& result) {
  Output output(parts, rounded, place, result);
  output.run(faces);
  output.mark_fresh(scored);
  return output.untouched_faces;
}

}  // namespace anvil::boolean
