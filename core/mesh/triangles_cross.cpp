// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/mesh/triangles_cross.h"

#include <optional>

#include "core/exact/predicates.h"

namespace anvil {
namespace {

/// The plane of a triangle, for quick answers about many points.
class Plane {
 public:
  Plane(const Vec3& a, const Vec3& b, const Vec3& c)
      : origin_(a), normal_((b - a).cross(c - a)),
        scale_(bound * (b - a).cwiseAbs().maxCoeff() * (c - a).cwiseAbs().maxCoeff()) {}
  /// As orient3d, or 0 where that is not sure.
  int side_if_sure(const Vec3& p) const {
    const Vec3 d = p - origin_;
    const double det = normal_.dot(d), error = scale_ * d.cwiseAbs().maxCoeff() + std::numeric_limits<double>::min();
    return det > error ? 1 : det < -error ? -1 : 0;
  }
  /// Projection along the axis nearest to the normal, as far as doubles tell.
  Projection flat() const { return Projection::along(normal_); }

 private:
  // Shewchuk 1997, o3derrboundA is (7 + 56 e) e times the permanent, e = 2^-53; that is at most six times the product of the
  // largest coordinates of the three differences.
  static constexpr double bound = 43 * 0x1p-53;
  Vec3 origin_, normal_;
  double scale_;
};

struct Test {
  const Vec3& at(Index vertex) const { return positions_[vertex]; }

  bool apart(const Triangle& s, const Triangle& t) const {
    const Vec3 &a = at(s[0]), &b = at(s[1]), &c = at(s[2]), &p = at(t[0]), &q = at(t[1]), &r = at(t[2]);
    const Plane of_s(a, b, c);
    const int fp = of_s.side_if_sure(p), fq = of_s.side_if_sure(q), fr = of_s.side_if_sure(r);
    if (fp != 0 && fp == fq && fq == fr) return false;
    const Plane of_t(p, q, r);
    const int fa = of_t.side_if_sure(a), fb = of_t.side_if_sure(b), fc = of_t.side_if_sure(c);
    if (fa != 0 && fa == fb && fb == fc) return false;
    // Pieces of one face lie in one plane, where every exact test of it is slow and says nothing: look flat first.
    const bool unsure = fp == 0 || fq == 0 || fr == 0 || fa == 0 || fb == 0 || fc == 0;
    if (unsure && (beyond_a_line(of_s.flat(), s, t) || beyond_a_line(of_t.flat(), s, t))) return false;
    const int sp = fp != 0 ? fp : orient3d(a, b, c, p), sq = fq != 0 ? fq : orient3d(a, b, c, q),
              sr = fr != 0 ? fr : orient3d(a, b, c, r);
    if (on_one_side(sp, sq, sr)) return touches(s, t, {sp, sq, sr});
    const int sa = fa != 0 ? fa : orient3d(p, q, r, a), sb = fb != 0 ? fb : orient3d(p, q, r, b),
              sc = fc != 0 ? fc : orient3d(p, q, r, c);
    if (on_one_side(sa, sb, sc)) return touches(t, s, {sa, sb, sc});
    return (sp * sq <= 0 && segment_meets_triangle(p, q, a, b, c)) ||
           (sq * sr <= 0 && segment_meets_triangle(q, r, a, b, c)) ||
           (sr * sp <= 0 && segment_meets_triangle(r, p, a, b, c)) ||
           (sa * sb <= 0 && segment_meets_triangle(a, b, p, q, r)) ||
           (sb * sc <= 0 && segment_meets_triangle(b, c, p, q, r)) ||
           (sc * sa <= 0 && segment_meets_triangle(c, a, p, q, r));
  }

  /// The same two triangles where one lies square to an axis, as caps and flat faces do: then the sides of the other's
  /// corners are known by comparing one coordinate. Corners that both share, `shared` of them, come first in both.
  /// @return nothing where the other goes through that plane or lies in it
  std::optional<bool> cross_square_plane(const Triangle& s, const Triangle& t, int shared) const {
    const Vec3 &a = at(s[0]), &b = at(s[1]), &c = at(s[2]);
    const int axis = square_to(a, b, c);
    if (axis == 3) return std::nullopt;
    bool above = false, below = false;
    std::array<Index, 3> in_plane{};
    int count = 0;
    for (Index v : t) {
      const double height = at(v)[axis];
      if (height == a[axis]) in_plane[static_cast<std::size_t>(count++)] = v;
      above = above || height > a[axis];
      below = below || height < a[axis];
    }
    if ((above && below) || count == 3) return std::nullopt;
    if (count == shared) return false;  // it has nothing else in that plane
    const Projection plane = seen_along(axis);
    const Point2 pa = plane(a), pb = plane(b), pc = plane(c), p = plane(at(in_plane[0])), q = plane(at(in_plane[static_cast<std::size_t>(count) - 1]));
    const int turn = orient2d(pa, pb, pc);
    if (turn == 0) return std::nullopt;
    // From the shared corner, which is first: does q lie within the angle of the other two?
    if (shared == 1) return orient2d(pa, pb, q) * turn >= 0 && orient2d(pa, q, pc) * turn >= 0;
    if (beyond_an_edge({pa, pb, pc}, {p, q, q})) return false;
    return segment_meets_triangle(p, q, pa, pb, pc);
  }

  static bool on_one_side(int p, int q, int r) {
    return (p >= 0 && q >= 0 && r >= 0) || (p <= 0 && q <= 0 && r <= 0);
  }
  /// Does t, all on one side of the plane of s, meet s? What it has in that plane is where its sides are 0.
  bool touches(const Triangle& s, const Triangle& t, const std::array<int, 3>& side) const {
    std::array<Index, 3> in_plane{};
    std::size_t count = 0;
    for (std::size_t k = 0; k < 3; ++k)
      if (side[k] == 0) in_plane[count++] = t[k];
    if (count == 0) return false;
    const Projection plane = projection_of(at(s[0]), at(s[1]), at(s[2]));
    auto edge_meets = [&](Index p, Index q) {
      return segment_meets_triangle(plane(at(p)), plane(at(q)), plane(at(s[0])), plane(at(s[1])), plane(at(s[2])));
    };
    if (count < 3) return edge_meets(in_plane[0], in_plane[count - 1]);
    // When no edge of t meets s, s lies within t or apart from it.
    return edge_meets(t[0], t[1]) || edge_meets(t[1], t[2]) || edge_meets(t[2], t[0]) ||
           segment_meets_triangle(plane(at(s[0])), plane(at(s[0])), plane(at(t[0])), plane(at(t[1])), plane(at(t[2])));
  }

  /// One shared corner, first in both: they cross when the far edge of one meets the other.
  bool at_corner(const Triangle& s, const Triangle& t) const {
    const Vec3 &v = at(s[0]), &a = at(s[1]), &b = at(s[2]), &c = at(t[1]), &d = at(t[2]);
    const int fa = orient3d_if_sure(v, c, d, a), fb = orient3d_if_sure(v, c, d, b);
    if (fa * fb > 0) return false;
    if ((fa == 0 || fb == 0) && wedges_apart_in_projection(s, t)) return false;
    const int sa = fa != 0 ? fa : orient3d(v, c, d, a), sb = fb != 0 ? fb : orient3d(v, c, d, b);
    if (sa * sb > 0) return false;
    const int sc = orient3d(v, a, b, c), sd = orient3d(v, a, b, d);
    if (sc * sd > 0) return false;
    if ((sa == 0 && sb == 0) || (sc == 0 && sd == 0))
      return segment_meets_triangle(a, b, v, c, d) || segment_meets_triangle(c, d, v, a, b);
    // The lines of the far edges pass all edges of the other triangle on one side. What asks for the shared corner is
    // known from above: (a b v c) is an even permutation of (v a b c), (a b d v) an odd one of (v a b d).
    const int e = orient3d(a, b, c, d);
    auto pass_on_one_side = [e](int left, int right) {
      return (left >= 0 && e >= 0 && right <= 0) || (left <= 0 && e <= 0 && right >= 0);
    };
    return pass_on_one_side(sc, sd) || pass_on_one_side(sa, sb);
  }

  /// A shared edge, first in both: they cross only when folded flat onto each other.
  bool at_edge(const Triangle& s, const Triangle& t) const {
    const Vec3 &a = at(s[0]), &b = at(s[1]), &p = at(s[2]), &q = at(t[2]);
    const Projection plane = projection_of(a, b, p);
    // Opposite sides of the edge, seen along any axis, cannot be folded: cheaper than asking for the plane.
    if (orient2d(plane(a), plane(b), plane(p)) * orient2d(plane(a), plane(b), plane(q)) <= 0) return false;
    return orient3d(a, b, p, q) == 0;
  }

  /// Projection along the axis nearest to a triangle's normal, as far as doubles tell.
  Projection flat(const Triangle& t) const {
    return Projection::along((at(t[1]) - at(t[0])).cross(at(t[2]) - at(t[0])));
  }
  /// Has a line through an edge of one, seen along an axis, surely all of the other beyond it? Then they are apart. They
  /// are to be seen along both normals: a wall is a line from above.
  bool beyond_a_line(const Projection& plane, const Triangle& s, const Triangle& t) const {
    const std::array<Point2, 3> p{plane(at(s[0])), plane(at(s[1])), plane(at(s[2]))},
        q{plane(at(t[0])), plane(at(t[1])), plane(at(t[2]))};
    return beyond_an_edge(p, q) || beyond_an_edge(q, p);
  }
  static bool beyond_an_edge(const std::array<Point2, 3>& p, const std::array<Point2, 3>& q) {
    const int turn = orient2d_if_sure(p[0], p[1], p[2]);
    for (std::size_t k = 0; k < 3; ++k) {
      const Point2 &a = p[k], &b = p[k == 2 ? 0 : k + 1];
      const int side = orient2d_if_sure(a, b, q[0]);
      if (side == 0 || side == turn) continue;
      // Where it is not known on which side of its edge p is, its third corner has to be looked at as well.
      if (turn == 0 && orient2d(a, b, p[k == 0 ? 2 : k - 1]) == side) continue;
      if (orient2d_if_sure(a, b, q[1]) == side && orient2d_if_sure(a, b, q[2]) == side) return true;
    }
    return false;
  }
  /// The same for two that share their first corner, with lines through that corner. The one whose normal it is has only
  /// that corner there; of the other, what is seen exactly there can meet it nowhere else.
  bool wedges_apart_in_projection(const Triangle& s, const Triangle& t) const {
    return beyond_a_line_at_corner(s, t) || beyond_a_line_at_corner(t, s);
  }
  /// @param s  the one whose normal is looked along
  bool beyond_a_line_at_corner(const Triangle& s, const Triangle& t) const {
    const Projection plane = flat(s);
    const Point2 v = plane(at(s[0])), a = plane(at(s[1])), b = plane(at(s[2])), c = plane(at(t[1])), d = plane(at(t[2]));
    const int turn = orient2d_if_sure(v, a, b);
    if (turn == 0) return false;
    auto at_v = [&](const Point2& p) { return p.x == v.x && p.y == v.y; };
    auto beyond = [&](const Point2& p, const Point2& line, int side) { return at_v(p) || orient2d_if_sure(v, line, p) == side; };
    if (beyond(c, a, -turn) && beyond(d, a, -turn)) return true;
    if (beyond(c, b, turn) && beyond(d, b, turn)) return true;
    // Lines through the edges of t, or the line that it is seen as.
    const int other = orient2d(v, c, d);
    for (const auto& [line, side] : {std::pair(c, other), std::pair(d, -other)}) {
      if (at_v(line)) continue;
      const int first = orient2d_if_sure(v, line, a);
      if (first != 0 && first != side && orient2d_if_sure(v, line, b) == first) return true;
    }
    return false;
  }

  std::span<const Vec3> positions_;
};

}  // namespace

bool triangles_cross(std::span<const Vec3> positions, Triangle s, Triangle t) {
  // Rotate shared corners to the front of both; `shared` counts them.
  int shared = 0;
  for (std::size_t k = 0; k < 3; ++k) {
    std::size_t l = static_cast<std::size_t>(shared);
    while (l < 3 && t[l] != s[k]) ++l;
    if (l == 3) continue;
    std::swap(s[static_cast<std::size_t>(shared)], s[k]);
    std::swap(t[static_cast<std::size_t>(shared)], t[l]);
    ++shared;
  }
  const Test test{positions};
  if (shared < 3) {
    if (const auto known = test.cross_square_plane(s, t, shared)) return *known;
    if (const auto known = test.cross_square_plane(t, s, shared)) return *known;
  }
  switch (shared) {
    case 0: return test.apart(s, t);
    case 1: return test.at_corner(s, t);
    case 2: return test.at_edge(s, t);
    default: return false;
  }
}

}  // namespace anvil
