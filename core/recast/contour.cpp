// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/recast/contour.h"

#include <tbb/parallel_for.h>

#include <algorithm>
#include <cmath>
#include <optional>
#include <span>

#include "core/mesh/bucket_sort.h"
#include "core/recast/corner.h"
#include "core/recast/join_coincident.h"

namespace anvil::recast {
namespace {

/// A crossing as one of its four cells sees it.
struct Use {
  Index row;      ///< of the cell: y + z · (points along y)
  Index crossing;
  Index vertex;   ///< found by its cell
  std::uint16_t x;
  std::uint8_t slot;  ///< its edge of the cell: 4 · axis + 2 · du + dv, which of the two places along the axis' u and v

  int axis() const { return slot >> 2; }
  unsigned du() const { return slot >> 1 & 1; }
  unsigned dv() const { return slot & 1; }
  bool is_with(const Use& o) const { return row == o.row && x == o.x; }
  bool operator<(const Use& o) const { return std::tie(row, x, slot, crossing) < std::tie(o.row, o.x, o.slot, o.crossing); }
};
static_assert(sizeof(Use) == 16);

/// Two crossings joined within a face of the grid that has more than two.
struct CrowdedArc {
  Index one, two;
  unsigned below, above;  ///< the cells on both sides of the face, as quadrants of the first
};

class Contouring {
 public:
  Contouring(const Grid& grid, const Crossings& crossings, std::span<const Vec3> normals, const ContourSettings& settings, const Control& control)
      : grid_(grid), crossings_(crossings), normals_(normals), settings_(settings), control_(control) {
    for (std::size_t axis = 0; axis < 3; ++axis) first_[axis + 1] = first_[axis] + static_cast<Index>(crossings[axis].size());
  }

  Contour run() {
    gather();
    check_stop(control_);
    find_vertices();
    check_stop(control_);
    if (made_.uneven) return std::move(made_);
    make_polygons();
    return std::move(made_);
  }

 private:
  std::uint64_t nx() const { return grid_.size[0]; }
  std::uint64_t ny() const { return grid_.size[1]; }
  std::uint64_t number_of(const std::array<Index, 3>& cell) const { return (static_cast<std::uint64_t>(cell[2]) * ny() + cell[1]) * nx() + cell[0]; }

  int axis_of(Index crossing) const { return crossing < first_[1] ? 0 : crossing < first_[2] ? 1 : 2; }
  const Crossing& crossing(Index id) const {
    const auto axis = static_cast<std::size_t>(axis_of(id));
    return crossings_[axis][id - first_[axis]];
  }
  Vec3 place_of(Index id) const {
    const int axis = axis_of(id), u = u_of(axis), v = v_of(axis);
    const Crossing& c = crossing(id);
    const Index along_u = grid_.size[static_cast<std::size_t>(u)];
    Vec3 p;
    p[axis] = c.at;
    p[u] = grid_.at(u, c.line % along_u);
    p[v] = grid_.at(v, c.line / along_u);
    return p;
  }
  /// Out of the solid.
  Vec3 normal_of(Index id) const {
    const Crossing& c = crossing(id);
    if (c.triangle == no_index) return Vec3::Zero();
    const Vec3& n = normals_[c.triangle];
    const double along = n[axis_of(id)];
    return (along > 0) == c.out ? n : Vec3(-n);
  }

  /// All crossings of each cell, one cell after the other.
  void gather() {
    uses_.resize(4 * static_cast<std::size_t>(first_[3]));
    for (std::size_t axis = 0; axis < 3; ++axis) {
      const auto u = static_cast<std::size_t>(u_of(static_cast<int>(axis))), v = static_cast<std::size_t>(v_of(static_cast<int>(axis)));
      const auto& list = crossings_[axis];
      tbb::parallel_for(tbb::blocked_range<std::size_t>(0, list.size(), 4096), [&](const auto& range) {
        for (std::size_t i = range.begin(); i < range.end(); ++i) {
          const Index id = first_[axis] + static_cast<Index>(i);
          for (unsigned q = 0; q < 4; ++q) {
            const unsigned du = q & 1, dv = q >> 1;
            std::array<Index, 3> cell{};
            cell[axis] = list[i].edge;
            cell[u] = list[i].line % grid_.size[u] - du;
            cell[v] = list[i].line / grid_.size[u] - dv;
            uses_[4 * static_cast<std::size_t>(id) + q] = {cell[2] * grid_.size[1] + cell[1], id, no_index, static_cast<std::uint16_t>(cell[0]), static_cast<std::uint8_t>(4 * axis + 2 * du + dv)};
          }
        }
      });
    }
    bucket_sort(uses_, static_cast<std::size_t>(grid_.size[1]) * grid_.size[2], [](const Use& use) { return use.row; });
  }

  struct Block {
    std::size_t begin = 0, end = 0;  ///< of uses_
    std::vector<Vec3> positions, smooth, middle;
    std::vector<float> sharpness;
    std::vector<char> is_pair;  ///< of no more than two crossings
    std::vector<char> rank;     ///< as Corner::rank
    std::vector<std::uint64_t> cell;
    std::vector<Index> beyond;  ///< vertices in corners beyond their cells
    std::vector<CrowdedArc> crowded;
    bool uneven = false;
  };

  void find_vertices() {
    constexpr std::size_t at_once = 8192;
    std::vector<Block> blocks;
    for (std::size_t begin = 0; begin < uses_.size();) {
      std::size_t end = std::min(uses_.size(), begin + at_once);
      while (end < uses_.size() && uses_[end].is_with(uses_[end - 1])) ++end;
      blocks.emplace_back();
      blocks.back().begin = begin;
      blocks.back().end = end;
      begin = end;
    }
    tbb::parallel_for(std::size_t{0}, blocks.size(), [&](std::size_t b) {
      if (control_.stop.stop_requested()) return;
      Block& block = blocks[b];
      Cell cell(*this, block);
      for (std::size_t begin = block.begin; begin < block.end;) {
        std::size_t end = begin + 1;
        while (end < block.end && uses_[end].is_with(uses_[begin])) ++end;
        cell.find_rounds({uses_.data() + begin, end - begin});
        begin = end;
      }
    });
    check_stop(control_);
    made_.uneven = std::any_of(blocks.begin(), blocks.end(), [](const Block& block) { return block.uneven; });
    if (made_.uneven) return;
    vertex_of_.resize(uses_.size());
    for (Block& block : blocks) {
      const auto first = static_cast<Index>(made_.positions.size());
      for (std::size_t i = block.begin; i < block.end; ++i) {
        const Use& use = uses_[i];
        vertex_of_[4 * static_cast<std::size_t>(use.crossing) + use.du() + 2u * use.dv()] = first + use.vertex;
      }
      made_.positions.insert(made_.positions.end(), block.positions.begin(), block.positions.end());
      made_.smooth.insert(made_.smooth.end(), block.smooth.begin(), block.smooth.end());
      made_.middle.insert(made_.middle.end(), block.middle.begin(), block.middle.end());
      made_.sharpness.insert(made_.sharpness.end(), block.sharpness.begin(), block.sharpness.end());
      is_pair_.insert(is_pair_.end(), block.is_pair.begin(), block.is_pair.end());
      ranks_.insert(ranks_.end(), block.rank.begin(), block.rank.end());
      cells_.insert(cells_.end(), block.cell.begin(), block.cell.end());
      for (Index v : block.beyond) beyond_.push_back(first + v);
      crowded_.insert(crowded_.end(), block.crowded.begin(), block.crowded.end());
      block = {};
    }
    uses_ = {};
    share_corners();
  }

  /// A corner that sticks through a side of a cell is found from there as well. Where its own cell has not seen all of its planes, what stands there takes it over.
  void share_corners() {
    for (Index v : beyond_) {
      const Vec3 x = made_.positions[v];
      std::array<Index, 3> own{};
      for (std::size_t axis = 0; axis < 3; ++axis) own[axis] = static_cast<Index>((x[static_cast<int>(axis)] - grid_.origin[static_cast<int>(axis)]) / grid_.step);
      const auto [begin, end] = std::equal_range(cells_.begin(), cells_.end(), number_of(own));
      for (auto it = begin; it != end; ++it) {
        const auto w = static_cast<std::size_t>(it - cells_.begin());
        if (ranks_[w] == 3) continue;
        made_.positions[w] = x;
        made_.sharpness[w] = made_.sharpness[v];
      }
    }
  }

  /// The crossings of one cell, and the rounds that they make.
  class Cell {
   public:
    Cell(const Contouring& all, Block& block) : all_(all), block_(block) {}

    /// @param uses  those of one cell
    void find_rounds(std::span<Use> uses) {
      uses_ = uses;
      cell_ = {uses[0].x, uses[0].row % all_.grid_.size[1], uses[0].row / all_.grid_.size[1]};
      partner_.assign(uses.size(), {no_index, no_index});
      for (int axis = 0; axis < 3; ++axis)
        for (unsigned side = 0; side < 2; ++side) join_in_face(axis, side);
      if (block_.uneven) return;
      for (std::size_t begin = 0; begin < uses_.size(); ++begin) {
        if (uses_[begin].vertex != no_index) continue;
        round_.clear();
        const auto vertex = static_cast<Index>(block_.positions.size());
        std::size_t now = begin;
        int face = u_of(uses_[begin].axis());  // across which it goes on
        do {
          uses_[now].vertex = vertex;
          round_.push_back(uses_[now].crossing);
          const std::size_t next = partner_[now][face == u_of(uses_[now].axis()) ? 0 : 1];
          // It has come in by this face and goes on by the other that its edge lies in.
          face = 3 - face - uses_[next].axis();
          now = next;
        } while (now != begin);
        place_vertex();
      }
    }

   private:
    /// Joins the crossings on the edges of one face in pairs. Both cells that have the face come to the same pairs.
    void join_in_face(int axis, unsigned side) {
      const int u = u_of(axis), v = v_of(axis);
      // Once around: along u below, along v at the right, back along u above, back along v at the left.
      std::array<std::vector<Index>, 4>& on = on_edges_;
      for (auto& list : on) list.clear();
      for (Index k = 0; k < uses_.size(); ++k) {
        const Use& use = uses_[k];
        if (use.axis() == axis) continue;
        // Along u its own axes are v and axis, along v they are axis and u.
        if (use.axis() == u && use.dv() == side) on[use.du() == 0 ? 0 : 2].push_back(k);
        if (use.axis() == v && use.du() == side) on[use.dv() == 0 ? 3 : 1].push_back(k);
      }
      ring_.clear();
      for (std::size_t e = 0; e < 4; ++e)
        if (e < 2)
          ring_.insert(ring_.end(), on[e].begin(), on[e].end());
        else
          ring_.insert(ring_.end(), on[e].rbegin(), on[e].rend());
      if (ring_.empty()) return;
      block_.uneven = block_.uneven || ring_.size() % 2 == 1;
      if (block_.uneven) return;
      const bool is_crowded = ring_.size() > 2;
      const auto join = [&](Index one, Index two) {
        for (const auto& [k, other] : {std::pair{one, two}, std::pair{two, one}}) partner_[k][axis == u_of(uses_[k].axis()) ? 0 : 1] = other;
        if (!is_crowded || side == 0) return;
        const Use& use = uses_[one];
        const unsigned below = use.du() + 2 * use.dv();
        block_.crowded.push_back({use.crossing, uses_[two].crossing, below, axis == u_of(use.axis()) ? below - 1 : below - 2});
      };
      // Neighbours along the ring go in and out in turn, so any two neighbours may be joined, and then any two of those that are left.
      while (ring_.size() > 2) {
        std::size_t best = 0;
        double least = 1e300;
        for (std::size_t k = 0; k < ring_.size(); ++k) {
          const double cost = cost_of(uses_[ring_[k]].crossing, uses_[ring_[(k + 1) % ring_.size()]].crossing, axis);
          if (cost < least) least = cost, best = k;
        }
        join(ring_[best], ring_[(best + 1) % ring_.size()]);
        if (best + 1 == ring_.size()) {
          ring_.pop_back();
          ring_.erase(ring_.begin());
        } else {
          ring_.erase(ring_.begin() + static_cast<std::ptrdiff_t>(best), ring_.begin() + static_cast<std::ptrdiff_t>(best) + 2);
        }
      }
      join(ring_[0], ring_[1]);
    }

    /// How unlikely it is that a line within a face, square to `axis`, leads from one crossing to the other: as far as it has to go off both planes, and next to nothing for its length.
    double cost_of(Index one, Index two, int axis) const {
      constexpr double for_length = 1e-6;
      const Vec3 p = all_.place_of(one), q = all_.place_of(two);
      Vec3 n = all_.normal_of(one), m = all_.normal_of(two);
      n[axis] = m[axis] = 0;
      n = n.stableNormalized();
      m = m.stableNormalized();
      const Vec3 way = q - p;
      const double straight = std::max(std::abs(way.dot(n)), std::abs(way.dot(m)));
      double bent = 1e300;
      // Or around the corner in which the two planes meet, if that lies in the face.
      const int u = u_of(axis), v = v_of(axis);
      const double det = n[u] * m[v] - n[v] * m[u];
      if (std::abs(det) > 1e-3) {
        const double a = n.dot(p), b = m.dot(q);
        Vec3 corner = p;
        corner[u] = (a * m[v] - b * n[v]) / det;
        corner[v] = (n[u] * b - m[u] * a) / det;
        double outside = 0;
        for (int k : {u, v}) {
          const double low = all_.grid_.at(k, cell_[static_cast<std::size_t>(k)]), high = all_.grid_.at(k, cell_[static_cast<std::size_t>(k)] + 1);
          outside = std::max({outside, low - corner[k], corner[k] - high});
        }
        bent = outside + for_length * ((corner - p).norm() + (corner - q).norm());
      }
      return std::min(straight + for_length * way.norm(), bent);
    }

    /// Planes reach farther than the faces that they are of, and the cell may hold faces that none of its edges crosses: as long as the vertex is not on the surface, the plane that is nearest to it
    /// is taken along.
    Corner corner_on_surface(Corner corner, const Box3& box) {
      constexpr double as_good_as_on_it = 0.02;  // steps
      constexpr int most_more = 4;
      const Vec3 smooth = corner.smooth;
      Tangent nearest = all_.settings_.nearest(smooth);
      const Vec3 on_it = nearest.point;
      std::optional<Corner> good;
      double least = as_good_as_on_it * all_.grid_.step;
      for (int more = 0;; ++more) {
        nearest = all_.settings_.nearest(corner.position);
        const double off = (nearest.point - corner.position).norm();
        // Between planes that it does not fit it is on the surface by chance.
        const bool by_chance = corner.rank == 1 && !corner.fits;
        if (!by_chance && off <= (corner.sharpness < hardly_sharp ? as_good_as_on_it : on_surface) * all_.grid_.step) return corner;
        if (!by_chance && off <= least) good = corner, least = off;
        const auto is_known = [&](const Tangent& t) { return std::abs(std::abs(t.normal.dot(nearest.normal)) - 1) < 1e-9 && std::abs(t.normal.dot(nearest.point - t.point)) < 1e-6 * all_.grid_.step; };
        if (more == most_more || std::any_of(tangents_.begin(), tangents_.end(), is_known)) break;
        tangents_.push_back(nearest);
        corner = corner_of(tangents_, box);
      }
      if (good) return by_planes_about(*good, least);
      // Edges that bend may stick through a side of the cell, and leave it by that again.
      constexpr double beyond = 0.2;  // steps
      for (const double more : {0.0, beyond * all_.grid_.step})
        if (const std::optional<Corner> edge = edge_beside(tangents_, smooth, box.grown(more), all_.settings_.nearest, on_surface * all_.grid_.step)) return *edge;
      return {contains(box, on_it) ? on_it : smooth, 1, 0, smooth, false, false};
    }

    /// Moved onto an edge or into a corner of the surface that it hardly misses, by the planes that are right beside it.
    Corner by_planes_about(const Corner& corner, double off) {
      const double reach = 3 * off;
      tangents_.clear();
      Box3 about;
      for (int axis = 0; axis < 3; ++axis)
        for (const double way : {-reach, reach}) {
          const Vec3 beside = corner.position + way * Vec3::Unit(axis);
          about.add(beside);
          if (const Tangent t = all_.settings_.nearest(beside); t.normal != Vec3::Zero()) tangents_.push_back(t);
        }
      if (tangents_.empty()) return corner;
      Corner moved = corner_of(tangents_, about);
      if (moved.rank < corner.rank || (all_.settings_.nearest(moved.position).point - moved.position).norm() > on_surface * all_.grid_.step) return corner;
      moved.smooth = corner.smooth;
      moved.sharpness = corner.sharpness;
      return moved;
    }

    static bool contains(const Box3& box, const Vec3& p) { return (p.array() >= box.lo.array()).all() && (p.array() <= box.hi.array()).all(); }

    Vec3 drawn_in(const Vec3& p, const Box3& box) const {
      const Vec3 margin = Vec3::Constant(0.05 * all_.grid_.step);
      return p.cwiseMax(box.lo + margin).cwiseMin(box.hi - margin);
    }

    void place_vertex() {
      tangents_.clear();
      Vec3 middle = Vec3::Zero();
      for (Index id : round_) {
        const Vec3 p = all_.place_of(id);
        middle += p;
        if (const Vec3 n = all_.normal_of(id); n != Vec3::Zero()) tangents_.push_back({p, n});
      }
      middle /= static_cast<double>(round_.size());
      Box3 box;
      for (unsigned side = 0; side < 2; ++side) box.add(all_.grid_.point(cell_[0] + side, cell_[1] + side, cell_[2] + side));
      // The same two crossings may make a round in several cells: each has its vertex a little within.
      if (round_.size() == 2) middle = drawn_in(middle, box);
      Corner corner{middle, 0, 0, middle, true, true};
      if (all_.settings_.sharp && !tangents_.empty()) {
        corner = corner_of(tangents_, box);
        if (round_.size() == 2) corner.smooth = middle;
        if (all_.settings_.nearest && !corner.is_flat && (corner.rank > 1 || !corner.fits)) corner = corner_on_surface(corner, box);
      }
      block_.positions.push_back(corner.position);
      block_.smooth.push_back(corner.smooth);
      block_.middle.push_back(drawn_in(middle, box));
      block_.is_pair.push_back(round_.size() == 2);
      block_.rank.push_back(static_cast<char>(corner.rank));
      block_.cell.push_back(all_.number_of(cell_));
      if (corner.rank == 3 && ((corner.position.array() < box.lo.array()).any() || (corner.position.array() > box.hi.array()).any()))
        block_.beyond.push_back(static_cast<Index>(block_.positions.size() - 1));
      block_.sharpness.push_back(static_cast<float>(corner.sharpness));
    }

    const Contouring& all_;
    Block& block_;
    std::span<Use> uses_;
    std::array<Index, 3> cell_;
    std::vector<std::array<Index, 2>> partner_;  ///< per use: across its u and across its v
    std::array<std::vector<Index>, 4> on_edges_;
    std::vector<Index> ring_, round_;
    std::vector<Tangent> tangents_;
  };

  /// The four vertices around a crossing, counter-clockwise seen from outside.
  std::array<Index, 4> corners_of(Index id) const {
    // Going up the axis the solid's outside lies ahead: then cells follow each other as u turns to v. Quadrant q has du = q & 1: the cell below along u.
    const Index* v = vertex_of_.data() + 4 * static_cast<std::size_t>(id);
    if (crossing(id).out) return {v[3], v[2], v[0], v[1]};
    return {v[3], v[1], v[0], v[2]};
  }

  /// Two crossings of one edge that lead to nothing but each other in two of its cells or all: the tip of something that ends there, or something smaller than the grid. Without their polygons
  /// the surface closes below the tip, and a vertex there still finds the corner.
  void drop_tips() {
    dropped_.assign(first_[3], 0);
    for (std::size_t axis = 0; axis < 3; ++axis)
      for (Index i = 1; i < crossings_[axis].size(); ++i) {
        const Crossing &a = crossings_[axis][i - 1], &b = crossings_[axis][i];
        const Index id = first_[axis] + i;
        if (a.line != b.line || a.edge != b.edge || dropped_[id - 1]) continue;
        const Index *one = vertex_of_.data() + 4 * static_cast<std::size_t>(id - 1), *two = one + 4;
        std::size_t pairs = 0;
        for (std::size_t q = 0; q < 4; ++q) pairs += one[q] == two[q] && is_pair_[one[q]];
        if (pairs < 2) continue;
        dropped_[id] = dropped_[id - 1] = 1;
        made_.dropped += pairs == 4;
      }
  }

  /// Within its face; arcs between the same crossings in different faces have different middles.
  Vec3 middle_of(const CrowdedArc& arc) const {
    const int axis = axis_of(arc.one), across = arc.below - arc.above == 1 ? u_of(axis) : v_of(axis), other = 3 - axis - across;
    const Crossing& c = crossing(arc.one);
    const Index along_u = grid_.size[static_cast<std::size_t>(u_of(axis))], u = c.line % along_u, v = c.line / along_u;
    // The face lies along the crossing's own edge, and to one side of it along the third axis.
    const unsigned to_lower = across == u_of(axis) ? arc.below >> 1 : arc.below & 1;
    const Index low = (other == u_of(axis) ? u : v) - to_lower;
    Vec3 p = (place_of(arc.one) + place_of(arc.two)) / 2;
    const double margin = 0.05 * grid_.step;
    p[other] = std::clamp(p[other], grid_.at(other, low) + margin, grid_.at(other, low + 1) - margin);
    p[axis] = std::clamp(p[axis], grid_.at(axis, c.edge) + margin, grid_.at(axis, c.edge + 1) - margin);
    return p;
  }

  /// Where a face has two arcs between the same two vertices, each of them gets a vertex of its own; else four polygons would have that edge.
  void part_doubled_edges() {
    struct Side {
      Index v, w;
      CrowdedArc arc;
      bool operator<(const Side& o) const { return std::tie(v, w, arc.one, arc.two) < std::tie(o.v, o.w, o.arc.one, o.arc.two); }
    };
    std::vector<Side> sides;
    for (const CrowdedArc& arc : crowded_) {
      if (dropped_[arc.one] || dropped_[arc.two]) continue;
      const Index* v = vertex_of_.data() + 4 * static_cast<std::size_t>(arc.one);
      sides.push_back({std::min(v[arc.below], v[arc.above]), std::max(v[arc.below], v[arc.above]), arc});
    }
    std::sort(sides.begin(), sides.end());
    const auto is_same_edge = [](const Side& a, const Side& b) { return a.v == b.v && a.w == b.w; };
    for (std::size_t i = 0; i < sides.size(); ++i) {
      if (!(i > 0 && is_same_edge(sides[i], sides[i - 1])) && !(i + 1 < sides.size() && is_same_edge(sides[i], sides[i + 1]))) continue;
      const CrowdedArc& arc = sides[i].arc;
      const Index vertex = add_vertex(middle_of(arc));
      for (Index id : {arc.one, arc.two}) {
        auto it = std::find_if(polygons_with_more_.begin(), polygons_with_more_.end(), [&](const auto& polygon) { return polygon.first == id; });
        if (it == polygons_with_more_.end()) {
          const auto ring = corners_of(id);
          polygons_with_more_.push_back({id, {ring.begin(), ring.end()}});
          it = polygons_with_more_.end() - 1;
        }
        std::vector<Index>& ring = it->second;
        for (std::size_t k = 0; k < ring.size(); ++k) {
          const Index a = ring[k], b = ring[(k + 1) % ring.size()];
          if (std::min(a, b) == sides[i].v && std::max(a, b) == sides[i].w) {
            ring.insert(ring.begin() + static_cast<std::ptrdiff_t>(k) + 1, vertex);
            break;
          }
        }
      }
    }
    std::sort(polygons_with_more_.begin(), polygons_with_more_.end());
  }

  void make_polygons() {
    drop_tips();
    part_doubled_edges();
    // Each crossing has room for two triangles; the few polygons with more corners come after them.
    made_.triangles.assign(2 * static_cast<std::size_t>(first_[3]), {no_index, no_index, no_index});
    made_.source.resize(made_.triangles.size());
    std::vector<char> is_apart(first_[3], 0);
    for (const auto& polygon : polygons_with_more_) is_apart[polygon.first] = 1;
    const auto is_on_edge_of_last = [&](Index id) {
      return id > 0 && axis_of(id) == axis_of(id - 1) && crossing(id).line == crossing(id - 1).line && crossing(id).edge == crossing(id - 1).edge;
    };
    tbb::parallel_for(tbb::blocked_range<Index>(0, first_[3], 4096), [&](const auto& range) {
      // Polygons of one edge of the grid are cut by one thread, in order.
      Index begin = range.begin();
      while (begin < range.end() && is_on_edge_of_last(begin)) ++begin;
      std::vector<std::array<Index, 2>> diagonals;
      for (Index id = begin; id < range.end() || (id < first_[3] && id > begin && is_on_edge_of_last(id)); ++id) {
        if (!is_on_edge_of_last(id)) diagonals.clear();
        if (!dropped_[id] && !is_apart[id] && !cut_quad(id, corners_of(id), diagonals)) is_apart[id] = 2;
      }
    });
    for (const auto& [id, ring] : polygons_with_more_)
      if (!dropped_[id]) add_fan(id, ring);
    for (Index id = 0; id < first_[3]; ++id)
      if (is_apart[id] == 2) add_fan(id, corners_of(id));
  }

  /// How well a triangle looks the way of the surface, 1 at best; −2 where it has no area.
  double agreement(Index a, Index b, Index c, const Vec3& normal) const {
    const auto& at = made_.positions;
    const Vec3 n = (at[b] - at[a]).cross(at[c] - at[a]);
    const double length = n.norm(), longest = std::max({(at[b] - at[a]).squaredNorm(), (at[c] - at[a]).squaredNorm(), (at[c] - at[b]).squaredNorm()});
    return length < 1e-9 * longest ? -2 : n.dot(normal) / length;
  }

  /// Cuts it in two along the diagonal that leaves the better triangles. Polygons of one edge of the grid may have two vertices across from each other in common: only one of them is cut there.
  /// @param diagonals  of the polygons of that edge so far
  /// @return false where neither is left
  bool cut_quad(Index id, const std::array<Index, 4>& ring, std::vector<std::array<Index, 2>>& diagonals) {
    const Vec3 normal = normal_of(id);
    const auto diagonal = [&](std::size_t k) { return std::array<Index, 2>{std::min(ring[k], ring[k + 2]), std::max(ring[k], ring[k + 2])}; };
    const auto is_taken = [&](std::size_t k) { return std::find(diagonals.begin(), diagonals.end(), diagonal(k)) != diagonals.end(); };
    const double one = std::min(agreement(ring[0], ring[1], ring[2], normal), agreement(ring[0], ring[2], ring[3], normal));
    const double two = std::min(agreement(ring[1], ring[2], ring[3], normal), agreement(ring[1], ring[3], ring[0], normal));
    const auto& at = made_.positions;
    const bool shorter = (at[ring[0]] - at[ring[2]]).squaredNorm() <= (at[ring[1]] - at[ring[3]]).squaredNorm();
    constexpr double as_good = 0.02;
    std::size_t k = (std::abs(one - two) < as_good ? shorter : one > two) ? 0 : 1;
    if (is_taken(k)) k = 1 - k;
    if (is_taken(k)) return false;
    diagonals.push_back(diagonal(k));
    const std::size_t t = 2 * static_cast<std::size_t>(id);
    made_.triangles[t] = {ring[k], ring[k + 1], ring[k + 2]};
    made_.triangles[t + 1] = {ring[k], ring[k + 2], ring[(k + 3) % 4]};
    made_.source[t] = made_.source[t + 1] = crossing(id).triangle;
    return true;
  }

  Index add_vertex(const Vec3& p) {
    made_.positions.push_back(p);
    made_.smooth.push_back(p);
    made_.middle.push_back(p);
    made_.sharpness.push_back(0);
    return static_cast<Index>(made_.positions.size() - 1);
  }

  /// Cuts a polygon about its crossing.
  void add_fan(Index id, std::span<const Index> ring) {
    const Index centre = add_vertex(place_of(id));
    for (std::size_t k = 0; k < ring.size(); ++k) {
      made_.triangles.push_back({ring[k], ring[(k + 1) % ring.size()], centre});
      made_.source.push_back(crossing(id).triangle);
    }
  }

  const Grid& grid_;
  const Crossings& crossings_;
  std::span<const Vec3> normals_;
  const ContourSettings& settings_;
  const Control& control_;
  std::array<Index, 4> first_{};  ///< number of the first crossing along each axis
  std::vector<Use> uses_;
  std::vector<Index> vertex_of_;  ///< per crossing and quadrant du + 2 dv
  std::vector<CrowdedArc> crowded_;
  std::vector<char> is_pair_, ranks_;  ///< per vertex, as in Block
  std::vector<std::uint64_t> cells_;   ///< per vertex, ascending
  std::vector<Index> beyond_;          ///< as in Block
  std::vector<char> dropped_;  ///< per crossing: it gets no polygon
  std::vector<std::pair<Index, std::vector<Index>>> polygons_with_more_;
  Contour made_;
};

}  // namespace

Contour contour(const Grid& grid, const Crossings& crossings, std::span<const Vec3> normals, const ContourSettings& settings, const Control& control) {
  Contour made = Contouring(grid, crossings, normals, settings, control).run();
  join_coincident(made, 1e-6 * grid.step);
  drop_gone(made);
  return made;
}

void drop_gone(Contour& made) {
  std::size_t left = 0;
  std::vector<Index> number(made.positions.size(), no_index);
  for (std::size_t t = 0; t < made.triangles.size(); ++t) {
    if (made.triangles[t][0] == no_index) continue;
    for (Index v : made.triangles[t]) number[v] = 0;
    made.triangles[left] = made.triangles[t];
    made.source[left++] = made.source[t];
  }
  made.triangles.resize(left);
  made.source.resize(left);
  Index kept = 0;
  for (Index v = 0; v < number.size(); ++v) {
    if (number[v] == no_index) continue;
    made.positions[kept] = made.positions[v];
    made.smooth[kept] = made.smooth[v];
    made.middle[kept] = made.middle[v];
    made.sharpness[kept] = made.sharpness[v];
    number[v] = kept++;
  }
  made.positions.resize(kept);
  made.smooth.resize(kept);
  made.middle.resize(kept);
  made.sharpness.resize(kept);
  for (Triangle& t : made.triangles)
    for (Index& v : t) v = number[v];
}

}  // namespace anvil::recast
