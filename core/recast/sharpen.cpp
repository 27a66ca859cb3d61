// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/recast/sharpen.h"

#include <tbb/blocked_range.h>
#include <tbb/parallel_for.h>

#include <Eigen/Cholesky>
#include <Eigen/LU>
#include <algorithm>
#include <cmath>
#include <map>
#include <numbers>
#include <numeric>

#include "core/mesh/attributes.h"
#include "core/mesh/edges.h"
#include "core/mesh/triangulate.h"
#include "core/soundness/check.h"

namespace anvil {
namespace {

constexpr Note edges_sharpened{"edges_sharpened", "1 vertex was moved on to a sharp edge", "{0} vertices were moved on to sharp edges", Note::Place::card};
constexpr Note vertices_left_round{"vertices_left_round", "1 vertex stays rounded: moving it would make faces cross", "{0} vertices stay rounded: moving them would make faces cross"};

/// A surface beside an edge, carried on to it.
struct Side {
  Vec3 normal;
  double height;      ///< of the vertex above it
  std::size_t faces;  ///< that it was told by
  double fitting;     ///< how many of these lie where it says
};

class Sharpener {
 public:
  Sharpener(const Mesh& mesh, const SharpenSettings& settings, const Control& control) : mesh_(mesh), settings_(settings), control_(control), edges_(build_edges(mesh)) {
    normals_.resize(mesh.face_count());
    middles_.resize(mesh.face_count());
    for (Index f = 0; f < mesh.face_count(); ++f) {
      normals_[f] = newell_normal(mesh.positions, mesh.face(f)).stableNormalized();
      middles_[f] = Vec3::Zero();
      for (Index v : mesh.face(f)) middles_[f] += mesh.positions[v] / static_cast<double>(mesh.face(f).size());
    }
    first_.assign(mesh.positions.size() + 1, 0);
    for (Index v : mesh.corners) ++first_[v + 1];
    std::partial_sum(first_.begin(), first_.end(), first_.begin());
    faces_.resize(mesh.corners.size());
    std::vector<Index> next(first_.begin(), first_.end() - 1);
    for (Index f = 0; f < mesh.face_count(); ++f)
      for (Index v : mesh.face(f)) faces_[next[v]++] = f;
    std::vector<double> lengths;
    for (const auto& [v, w] : edges_.vertices) lengths.push_back((mesh.positions[v] - mesh.positions[w]).norm());
    if (!lengths.empty()) {
      std::nth_element(lengths.begin(), lengths.begin() + static_cast<std::ptrdiff_t>(lengths.size() / 2), lengths.end());
      usual_ = lengths[lengths.size() / 2];
    }
    constexpr double usual_reach = 4;  // edges
    reach_ = settings.reach > 0 ? settings.reach : usual_reach * usual_;
    find_strip();
  }

  /// @param stay  per vertex: it is not to be moved
  Sharpened sharpen(const std::vector<char>& stay) {
    Sharpened made;
    moved_to_ = mesh_.positions;
    sides_.assign(mesh_.positions.size(), {});
    tbb::parallel_for(tbb::blocked_range<Index>(0, static_cast<Index>(strip_.size()), 64), [&](const auto& range) {
      check_stop(control_);
      for (Index v = range.begin(); v < range.end(); ++v)
        if ((strip_[v] || beside_[v]) && !stay[v]) move(v);
    });
    for (Index v = 0; v < sides_.size(); ++v) made.moved += sides_[v].size() > 1;
    // What lies beside an edge is drawn flat for its sake alone.
    if (made.moved == 0) moved_to_ = mesh_.positions, sides_.assign(mesh_.positions.size(), {});
    make_triangles();
    turn_triangles();
    constexpr int rounds = 4;
    for (int round = 0; round < rounds; ++round) {
      const bool any = fill_corners();
      if (!join_vertices() && !any) break;
      turn_triangles();
    }
    std::vector<Index> number(mesh_.positions.size(), no_index), old;
    std::vector<Index> ring;
    const auto add_face = [&](std::span<const Index> face, Index source) {
      ring.clear();
      for (Index v : face) {
        if (number[v] == no_index) number[v] = made.mesh.add_vertex(moved_to_[v]), old.push_back(v);
        ring.push_back(number[v]);
      }
      made.mesh.add_face(ring);
      made.source.push_back(source);
    };
    if (made.moved == 0)
      for (Index v = 0; v < number.size(); ++v) number[v] = made.mesh.add_vertex(mesh_.positions[v]), old.push_back(v);  // as it was, vertices that no face has and all
    for (Index f = 0; f < mesh_.face_count(); ++f)
      if (!cut_[f]) add_face(mesh_.face(f), f);
    for (std::size_t t = 0; t < triangles_.size(); ++t) add_face(triangles_[t], triangle_face_[t]);
    carry_attributes(mesh_, made.source, made.mesh);
    made.mesh.origins.clear();
    for (const auto& [v, w] : build_edges(made.mesh).vertices)
      if (is_edge(old[v], old[w])) made.edges.push_back({v, w});
    return made;
  }

  /// Which vertices of the mesh take part in a flaw of what was made of it.
  void mark_old(const Sharpened& made, const SoundnessReport& report, std::vector<char>& stay) const {
    const auto mark = [&](Index face) {
      for (Index v : mesh_.face(made.source[face])) stay[v] = 1;
    };
    std::vector<char> at_flaw(made.mesh.positions.size(), 0);
    for (const FamilyReport& family : report.families) {
      if (family.family->role != FamilyRole::defect) continue;
      for (const Defect& defect : family.defects) {
        for (Index f : defect.faces) mark(f);
        for (const auto& edge : defect.edges)
          for (Index v : edge) at_flaw[v] = 1;
        for (Index v : defect.vertices) at_flaw[v] = 1;
      }
    }
    for (Index f = 0; f < made.mesh.face_count(); ++f)
      for (Index v : made.mesh.face(f))
        if (at_flaw[v]) mark(f);
  }

 private:
  std::span<const Index> faces_at(Index v) const { return {faces_.data() + first_[v], faces_.data() + first_[v + 1]}; }

  /// Faces that most of their neighbours agree with lie on a surface, where that is three faces wide: what is narrower is the strip along an edge. Vertices that have no face on a surface are in
  /// the strip.
  void find_strip() {
    constexpr double most = 0.65;
    const double alike = std::cos(0.4 * settings_.sharper_than * std::numbers::pi / 180);
    std::vector<char> agrees(mesh_.face_count(), 0), amid(mesh_.face_count(), 0);
    for (Index f = 0; f < mesh_.face_count(); ++f) {
      double neighbours = 0, agree = 0;
      for (Index c = mesh_.face_offsets[f]; c < mesh_.face_offsets[f + 1]; ++c) {
        const Index e = edges_.corner_edge[c];
        if (e == no_index) continue;
        for (Index use : edges_.corners_of(e)) {
          const Index g = edges_.corner_face[use];
          if (g == f) continue;
          ++neighbours;
          agree += normals_[f].dot(normals_[g]) > alike;
        }
      }
      agrees[f] = agree >= most * neighbours;
      amid[f] = std::all_of(mesh_.face(f).begin(), mesh_.face(f).end(), [&](Index v) { return std::all_of(faces_at(v).begin(), faces_at(v).end(), [&](Index g) { return normals_[f].dot(normals_[g]) > alike; }); });
    }
    reliable_ = amid;
    for (Index f = 0; f < mesh_.face_count(); ++f)
      for (Index v : mesh_.face(f))
        for (Index g : faces_at(v)) reliable_[f] = reliable_[f] || (agrees[f] && amid[g] && normals_[f].dot(normals_[g]) > alike);
    strip_.assign(mesh_.positions.size(), 1);
    for (Index f = 0; f < mesh_.face_count(); ++f)
      for (Index v : mesh_.face(f)) strip_[v] = strip_[v] && !reliable_[f];
    beside_.assign(mesh_.positions.size(), 0);
    for (Index v = 0; v < strip_.size(); ++v)
      if (faces_at(v).empty()) strip_[v] = 0;
    constexpr int rings = 3;
    for (int ring = 0; ring < rings; ++ring) {
      std::vector<char> more = beside_;
      for (Index f = 0; f < mesh_.face_count(); ++f)
        if (std::any_of(mesh_.face(f).begin(), mesh_.face(f).end(), [&](Index v) { return strip_[v] || beside_[v]; }))
          for (Index v : mesh_.face(f)) more[v] = !strip_[v];
      beside_ = std::move(more);
    }
    // Borders, and edges where other than two faces meet, stay.
    for (Index e = 0; e < edges_.size(); ++e)
      if (edges_.corners_of(e).size() != 2)
        for (Index v : edges_.vertices[e]) strip_[v] = beside_[v] = 0;
  }

  /// Faces within reach of a vertex that lie on no strip, by the pieces in which they hang together.
  std::vector<std::vector<Index>> pieces_around(Index v) const {
    const Vec3& at = mesh_.positions[v];
    std::vector<Index> near;
    std::map<Index, int> piece;  // -1: in none yet
    std::vector<Index> waiting(faces_at(v).begin(), faces_at(v).end());
    std::map<Index, char> seen;
    for (Index f : waiting) seen[f] = 1;
    while (!waiting.empty()) {
      const Index f = waiting.back();
      waiting.pop_back();
      if (reliable_[f]) near.push_back(f), piece[f] = -1;
      for (Index w : mesh_.face(f)) {
        if ((mesh_.positions[w] - at).norm() > reach_) continue;
        for (Index g : faces_at(w))
          if (!seen[g] && (middles_[g] - at).norm() <= reach_) seen[g] = 1, waiting.push_back(g);
      }
    }
    std::sort(near.begin(), near.end());
    std::vector<std::vector<Index>> pieces;
    for (Index start : near) {
      if (piece[start] >= 0) continue;
      pieces.emplace_back();
      std::vector<Index> open{start};
      piece[start] = static_cast<int>(pieces.size()) - 1;
      while (!open.empty()) {
        const Index f = open.back();
        open.pop_back();
        pieces.back().push_back(f);
        for (Index c = mesh_.face_offsets[f]; c < mesh_.face_offsets[f + 1]; ++c) {
          const Index e = edges_.corner_edge[c];
          if (e == no_index) continue;
          for (Index use : edges_.corners_of(e)) {
            const auto it = piece.find(edges_.corner_face[use]);
            if (it != piece.end() && it->second < 0) it->second = piece[start], open.push_back(it->first);
          }
        }
      }
    }
    return pieces;
  }

  /// Carries a piece of surface on to a vertex: flat where enough of it lies in one plane, else with its normal as it changes along the surface. Next to an edge a grid bends faces a little, since the
  /// distance that it holds is there that to the edge: faces count the more the farther away they are, and those that do not fit the others count for nothing (reweighted least squares).
  Side carried_on(const std::vector<Index>& piece, const Vec3& at) const {
    constexpr double enough = 0.35;
    std::vector<double> base;
    for (Index f : piece) base.push_back((middles_[f] - at).squaredNorm());
    Side flat = carried_on(piece, at, base, false), bent = carried_on(piece, at, base, true);
    return flat.fitting >= enough * static_cast<double>(piece.size()) ? flat : bent;
  }

  Side carried_on(const std::vector<Index>& piece, const Vec3& at, const std::vector<double>& base, bool bends) const {
    constexpr int rounds = 8;
    constexpr double scale = 0.02;  // of a normal's deviation, radians
    const double unit = usual_ > 0 ? usual_ : 1;
    std::vector<double> weights = base;
    Side side{Vec3::Zero(), 0, piece.size(), 0};
    for (int round = 0; round < rounds; ++round) {
      Eigen::Matrix4d squares = Eigen::Matrix4d::Zero();
      Eigen::Matrix<double, 4, 3> sums = Eigen::Matrix<double, 4, 3>::Zero();
      double all = 0;
      Vec3 mean = Vec3::Zero();
      const auto row_of = [&](std::size_t k) {
        const Vec3 way = (middles_[piece[k]] - at) / unit;
        return bends ? Eigen::Vector4d(1, way.x(), way.y(), way.z()) : Eigen::Vector4d(1, 0, 0, 0);
      };
      for (std::size_t k = 0; k < piece.size(); ++k) {
        const Eigen::Vector4d row = row_of(k);
        squares += weights[k] * row * row.transpose();
        sums += weights[k] * row * normals_[piece[k]].transpose();
        mean += weights[k] * normals_[piece[k]];
        all += weights[k];
      }
      // Across the surface nothing is known: there it is taken not to change.
      squares.diagonal().tail<3>().array() += 1e-3 * all;
      const Eigen::Matrix<double, 4, 3> fitted = squares.ldlt().solve(sums);
      side.normal = fitted.row(0).transpose();
      // A fit that leads far away from what there is follows noise.
      if (!(side.normal.norm() > 0.5) || side.normal.normalized().dot(mean.normalized()) < 0.8) side.normal = mean;
      side.normal.normalize();
      // The vertex's height above it by the chord that leads there, which is right for circles.
      side.height = 0;
      for (std::size_t k = 0; k < piece.size(); ++k) side.height += weights[k] / all * (at - middles_[piece[k]]).dot((normals_[piece[k]] + side.normal).normalized());
      side.fitting = 0;
      for (std::size_t k = 0; k < piece.size(); ++k) {
        const double off = (fitted.transpose() * row_of(k) - normals_[piece[k]]).norm() / scale;
        weights[k] = base[k] / ((1 + off * off) * (1 + off * off));
        side.fitting += off < 1;
      }
    }
    return side;
  }

  void move(Index v) {
    const Vec3& at = mesh_.positions[v];
    const double least = std::cos(settings_.sharper_than * std::numbers::pi / 180), farthest = 1.1 * usual_;
    std::vector<Side> sides;
    for (const std::vector<Index>& piece : pieces_around(v)) {
      const Side side = carried_on(piece, at);
      if (std::abs(side.height) > farthest) continue;
      // Two pieces of one surface are one side.
      const auto same = std::find_if(sides.begin(), sides.end(), [&](const Side& s) { return s.normal.dot(side.normal) > least; });
      if (same == sides.end())
        sides.push_back(side);
      else if (side.faces > same->faces)
        *same = side;
    }
    if (sides.empty()) return;
    std::stable_sort(sides.begin(), sides.end(), [](const Side& a, const Side& b) { return std::abs(a.height) < std::abs(b.height); });
    Vec3 to;
    // What only lies beside the edge is put on its own side, from which a grid bends it a little.
    constexpr double bent = 0.3;
    constexpr double on_it = 0.15, on_both = 0.35;
    const bool is_bent = std::abs(sides[0].height) <= bent * usual_;
    const bool of_one = sides.size() == 1 || std::abs(sides[0].height) <= on_it * usual_ || std::abs(sides[1].height) > on_both * usual_;
    if ((beside_[v] && is_bent && of_one) || sides.size() == 1) {
      if (is_bent) stand(v, at - sides[0].height * sides[0].normal, {sides[0].normal});
      return;
    }
    if (sides.size() >= 3) {
      Eigen::Matrix3d rows;
      Vec3 heights;
      for (Eigen::Index k = 0; k < 3; ++k) rows.row(k) = sides[static_cast<std::size_t>(k)].normal, heights[k] = -sides[static_cast<std::size_t>(k)].height;
      // In the corner where that lies in the vertex's own cell; of its neighbours no other is moved there.
      if (std::abs(rows.determinant()) > 0.05) {
        to = rows.inverse() * heights;
        if (to.cwiseAbs().maxCoeff() <= usual_) return stand(v, at + to, {sides[0].normal, sides[1].normal, sides[2].normal});
      }
      sides.resize(2);
    }
    // The nearest point of the line in which two meet.
    const double c = sides[0].normal.dot(sides[1].normal), a = sides[0].height, b = sides[1].height, det = 1 - c * c;
    to = -((a - c * b) / det * sides[0].normal + (b - c * a) / det * sides[1].normal);
    if (to.norm() > 1.2 * farthest) return;
    stand(v, at + to, {sides[0].normal, sides[1].normal});
  }
  void stand(Index v, const Vec3& to, std::vector<Vec3> sides) {
    moved_to_[v] = to;
    sides_[v] = std::move(sides);
  }

  /// Do two moved vertices lie on one edge: do they have two sides in common, and runs what joins them along both?
  bool is_edge(Index v, Index w) const {
    if (sides_[v].empty() || sides_[w].empty()) return false;
    constexpr double alike = 0.9, along = 0.3;
    const Vec3 way = (moved_to_[w] - moved_to_[v]).stableNormalized();
    int common = 0;
    for (const Vec3& n : sides_[v]) common += std::abs(n.dot(way)) < along && std::any_of(sides_[w].begin(), sides_[w].end(), [&](const Vec3& m) { return n.dot(m) > alike; });
    return common >= 2;
  }

  /// The faces that touch a moved vertex, in triangles; of quads over the diagonal that lies on the edge, or else fits the sides.
  void make_triangles() {
    cut_.assign(mesh_.face_count(), 0);
    triangles_.clear();
    triangle_face_.clear();
    const TriangleList list = triangulate(mesh_);
    for (Index f = 0; f < mesh_.face_count(); ++f)
      for (Index v : mesh_.face(f)) cut_[f] = cut_[f] || !sides_[v].empty();
    for (Index f = 0; f < mesh_.face_count(); ++f) {
      const auto face = mesh_.face(f);
      if (!cut_[f] || face.size() != 4) continue;
      const std::array<std::array<Triangle, 2>, 2> ways{{{Triangle{face[0], face[1], face[2]}, Triangle{face[0], face[2], face[3]}}, {Triangle{face[1], face[2], face[3]}, Triangle{face[1], face[3], face[0]}}}};
      const std::size_t way = score(ways[1][0], ways[1][1]) > score(ways[0][0], ways[0][1]) ? 1 : 0;
      for (const Triangle& t : ways[way]) triangles_.push_back(t), triangle_face_.push_back(f);
    }
    for (std::size_t t = 0; t < list.triangles.size(); ++t)
      if (cut_[list.face[t]] && mesh_.face(list.face[t]).size() != 4) triangles_.push_back(list.triangles[t]), triangle_face_.push_back(list.face[t]);
  }

  /// How well a triangle lies in one of the sides that its moved vertices have: the cosine to the nearest; of one without area -1.
  double fit(const Triangle& t) const {
    const Vec3 normal = (moved_to_[t[1]] - moved_to_[t[0]]).cross(moved_to_[t[2]] - moved_to_[t[0]]);
    if (!(normal.norm() > 1e-6 * usual_ * usual_)) return -1;
    const Vec3 unit = normal.normalized();
    double best = -2;
    // All moved vertices must be able to lie on that side.
    for (std::size_t k = 0; k < 3; ++k)
      for (const Vec3& n : sides_[t[k]]) {
        bool shared = true;
        for (std::size_t j = 0; j < 3 && shared; ++j)
          shared = sides_[t[j]].empty() || std::any_of(sides_[t[j]].begin(), sides_[t[j]].end(), [&](const Vec3& m) { return n.dot(m) > 0.9; });
        best = std::max(best, shared ? unit.dot(n) : unit.dot(n) - 1);
      }
    constexpr double turned_over = -3;  // worse than any two that reach over an edge
    return best < -0.9 ? turned_over : best;
  }
  double score(const Triangle& a, const Triangle& b) const { return fit(a) + fit(b); }

  /// Triangles that cut off a corner, with a vertex on each of its three edges: the one that is nearest goes into the corner. @return whether there were any
  bool fill_corners() {
    bool any = false;
    for (const Triangle& t : triangles_) {
      if (sides_[t[0]].size() != 2 || sides_[t[1]].size() != 2 || sides_[t[2]].size() != 2 || fit(t) > 0.3) continue;
      std::vector<std::pair<Vec3, Vec3>> planes;  // a point, and the normal
      for (Index v : t)
        for (const Vec3& n : sides_[v])
          if (std::none_of(planes.begin(), planes.end(), [&](const auto& p) { return p.second.dot(n) > 0.8; })) planes.emplace_back(moved_to_[v], n);
      if (planes.size() != 3) continue;
      Eigen::Matrix3d rows;
      Vec3 values;
      for (Eigen::Index k = 0; k < 3; ++k) {
        const auto& [point, normal] = planes[static_cast<std::size_t>(k)];
        rows.row(k) = normal;
        values[k] = normal.dot(point);
      }
      if (std::abs(rows.determinant()) < 0.05) continue;
      const Vec3 corner = rows.inverse() * values;
      const Index nearest = *std::min_element(t.begin(), t.end(), [&](Index v, Index w) { return (moved_to_[v] - corner).norm() < (moved_to_[w] - corner).norm(); });
      if ((moved_to_[nearest] - corner).norm() > 2 * usual_) continue;
      stand(nearest, corner, {planes[0].second, planes[1].second, planes[2].second});
      any = true;
    }
    return any;
  }

  /// Of two vertices that came to stand close together on one edge, or in one corner, one goes. @return whether any did
  bool join_vertices() {
    constexpr double close = 0.6;  // usual edges
    std::vector<std::vector<Index>> at(mesh_.positions.size());  // triangles
    for (Index t = 0; t < triangles_.size(); ++t)
      for (Index v : triangles_[t]) at[v].push_back(t);
    const auto ring_of = [&](Index v) {
      std::vector<Index> ring;
      for (Index t : at[v])
        for (Index w : triangles_[t])
          if (w != v) ring.push_back(w);
      std::sort(ring.begin(), ring.end());
      ring.erase(std::unique(ring.begin(), ring.end()), ring.end());
      return ring;
    };
    std::vector<char> touched(mesh_.positions.size(), 0), gone(triangles_.size(), 0);
    bool any = false;
    for (Index v = 0; v < sides_.size(); ++v) {
      if (sides_[v].size() < 2 || touched[v] || at[v].empty()) continue;
      const std::vector<Index> ring = ring_of(v);
      if (std::any_of(ring.begin(), ring.end(), [&](Index w) { return touched[w] != 0; })) continue;
      for (Index w : ring) {
        // To one that has at least its sides.
        if (sides_[w].size() < sides_[v].size() || (sides_[w].size() == sides_[v].size() && w > v) || (moved_to_[v] - moved_to_[w]).norm() > close * usual_) continue;
        if (!std::all_of(sides_[v].begin(), sides_[v].end(), [&](const Vec3& n) { return std::any_of(sides_[w].begin(), sides_[w].end(), [&](const Vec3& m) { return n.dot(m) > 0.9; }); })) continue;
        const std::vector<Index> other = ring_of(w);
        std::vector<Index> common;
        std::set_intersection(ring.begin(), ring.end(), other.begin(), other.end(), std::back_inserter(common));
        if (common.size() != 2) continue;
        bool fits = true;
        for (Index t : at[v]) {
          if (std::find(triangles_[t].begin(), triangles_[t].end(), w) != triangles_[t].end()) continue;
          Triangle moved = triangles_[t];
          std::replace(moved.begin(), moved.end(), v, w);
          fits = fits && fit(moved) > std::min(fit(triangles_[t]), 0.7) - 0.05;
        }
        if (!fits) continue;
        for (Index t : at[v]) {
          if (std::find(triangles_[t].begin(), triangles_[t].end(), w) != triangles_[t].end())
            gone[t] = 1;
          else
            std::replace(triangles_[t].begin(), triangles_[t].end(), v, w);
        }
        for (Index u : ring) touched[u] = 1;
        for (Index u : other) touched[u] = 1;
        touched[v] = touched[w] = 1;
        any = true;
        break;
      }
    }
    std::size_t kept = 0;
    for (std::size_t t = 0; t < triangles_.size(); ++t)
      if (!gone[t]) triangles_[kept] = triangles_[t], triangle_face_[kept++] = triangle_face_[t];
    triangles_.resize(kept);
    triangle_face_.resize(kept);
    return any;
  }

  /// Turns edges between the triangles while the two lie better in the sides afterwards, together.
  void turn_triangles() {
    constexpr int rounds = 20;
    for (int round = 0; round < rounds; ++round) {
      check_stop(control_);
      const std::vector<Index> opposite = find_opposites(triangles_, {}, mesh_.positions.size());
      // Edges that there are, so that none is made twice.
      std::map<std::uint64_t, int> known;
      for (Index f = 0; f < mesh_.face_count(); ++f) {
        if (cut_[f]) continue;
        const auto face = mesh_.face(f);
        for (std::size_t k = 0; k < face.size(); ++k) known[pair_key(std::min(face[k], face[(k + 1) % face.size()]), std::max(face[k], face[(k + 1) % face.size()]))] = 1;
      }
      for (const Triangle& t : triangles_)
        for (std::size_t k = 0; k < 3; ++k) known[pair_key(std::min(t[k], t[(k + 1) % 3]), std::max(t[k], t[(k + 1) % 3]))] = 1;
      std::vector<char> touched(triangles_.size(), 0);
      bool turned = false;
      for (Index c = 0; c < opposite.size(); ++c) {
        const Index o = opposite[c];
        if (o == no_index || o < c || touched[c / 3] || touched[o / 3]) continue;
        Triangle &s = triangles_[c / 3], &t = triangles_[o / 3];
        const Index from = s[c % 3], to = s[(c % 3 + 1) % 3], left = s[(c % 3 + 2) % 3], right = t[(o % 3 + 2) % 3];
        if (known.contains(pair_key(std::min(left, right), std::max(left, right)))) continue;
        const Triangle one{left, right, to}, other{right, left, from};
        if (score(one, other) <= score(s, t) + 1e-3) continue;
        s = one;
        t = other;
        touched[c / 3] = touched[o / 3] = 1;
        known[pair_key(std::min(left, right), std::max(left, right))] = 1;
        turned = true;
      }
      if (!turned) return;
    }
  }

  const Mesh& mesh_;
  const SharpenSettings& settings_;
  const Control& control_;
  const EdgeTable edges_;
  std::vector<Vec3> normals_, middles_;  // of faces
  std::vector<Index> first_, faces_;     // those at each vertex
  double usual_ = 0, reach_ = 0;
  std::vector<char> strip_;     // per vertex
  std::vector<char> beside_;    // per vertex: within three faces of the strip, and not in it
  std::vector<char> reliable_;  // per face: it lies on a surface, not on a strip
  std::vector<Vec3> moved_to_;
  std::vector<std::vector<Vec3>> sides_;  // per vertex, of those that were moved
  std::vector<char> cut_;                 // per face: it is in triangles
  std::vector<Triangle> triangles_;
  std::vector<Index> triangle_face_;
};

}  // namespace

Sharpened sharpen(const Mesh& mesh, const std::string& name, const SharpenSettings& settings, const Control& control) {
  Sharpener sharpener(mesh, settings, control);
  const bool was_sound = is_sound(mesh, {}, 1, control.stop);
  std::vector<char> stay(mesh.positions.size(), 0);
  constexpr int rounds = 6;
  Sharpened made;
  std::size_t wanted = 0;
  for (int round = 0;; ++round) {
    made = sharpener.sharpen(stay);
    wanted = std::max(wanted, made.moved);
    if (!was_sound || made.moved == 0) break;
    const SoundnessReport report = check_soundness(made.mesh, control.stop);
    made.is_sound = report.sound;
    if (report.sound) break;
    // What takes part in a flaw stays where it was; at last all of it.
    sharpener.mark_old(made, report, stay);
    if (round == rounds) std::fill(stay.begin(), stay.end(), 1);
  }
  if (made.moved == 0) made.is_sound = was_sound;
  made.report.tell(edges_sharpened, made.moved, name);
  if (made.moved < wanted) made.report.tell(vertices_left_round, wanted - made.moved, name);
  return made;
}

}  // namespace anvil
