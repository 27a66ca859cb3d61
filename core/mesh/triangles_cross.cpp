// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/mesh/triangles_cross.h"

#include "core/exact/predicates.h"

namespace anvil {
namespace {

struct Test {
  const Vec3& at(Index vertex) const { return positions_[vertex]; }

  bool apart(const Triangle& s, const Triangle& t) const {
    const Vec3 &a = at(s[0]), &b = at(s[1]), &c = at(s[2]), &p = at(t[0]), &q = at(t[1]), &r = at(t[2]);
    const int fp = orient3d_if_sure(a, b, c, p), fq = orient3d_if_sure(a, b, c, q), fr = orient3d_if_sure(a, b, c, r);
    if (fp != 0 && fp == fq && fq == fr) return false;
    // Pieces of one face lie in one plane, where every exact test of it is slow and says nothing: look flat first.
    const bool unsure = fp == 0 || fq == 0 || fr == 0;
    if (unsure && apart_in_projection(s, t)) return false;
    const int sp = fp != 0 ? fp : orient3d(a, b, c, p), sq = fq != 0 ? fq : orient3d(a, b, c, q),
              sr = fr != 0 ? fr : orient3d(a, b, c, r);
    if ((sp > 0 && sq > 0 && sr > 0) || (sp < 0 && sq < 0 && sr < 0)) return false;
    const int sa = orient3d(p, q, r, a), sb = orient3d(p, q, r, b), sc = orient3d(p, q, r, c);
    if ((sa > 0 && sb > 0 && sc > 0) || (sa < 0 && sb < 0 && sc < 0)) return false;
    return (sp * sq <= 0 && segment_meets_triangle(p, q, a, b, c)) ||
           (sq * sr <= 0 && segment_meets_triangle(q, r, a, b, c)) ||
           (sr * sp <= 0 && segment_meets_triangle(r, p, a, b, c)) ||
           (sa * sb <= 0 && segment_meets_triangle(a, b, p, q, r)) ||
           (sb * sc <= 0 && segment_meets_triangle(b, c, p, q, r)) ||
           (sc * sa <= 0 && segment_meets_triangle(c, a, p, q, r));
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
    auto on_one_side = [e](int left, int right) {
      return (left >= 0 && e >= 0 && right <= 0) || (left <= 0 && e <= 0 && right >= 0);
    };
    return on_one_side(sc, sd) || on_one_side(sa, sb);
  }

  /// A shared edge, first in both: they cross only when folded flat onto each other.
  bool at_edge(const Triangle& s, const Triangle& t) const {
    const Vec3 &a = at(s[0]), &b = at(s[1]), &p = at(s[2]), &q = at(t[2]);
    Projection plane = Projection::along((b - a).cross(p - a));
    for (int k = 0; k < 3 && orient2d(plane(a), plane(b), plane(p)) == 0; ++k) plane = {k, (k + 1) % 3};
    // Opposite sides of the edge, seen along any axis, cannot be folded: cheaper than asking for the plane.
    if (orient2d(plane(a), plane(b), plane(p)) * orient2d(plane(a), plane(b), plane(q)) <= 0) return false;
    return orient3d(a, b, p, q) == 0;
  }

  /// Projection along the axis nearest to a triangle's normal, as far as doubles tell.
  Projection flat(const Triangle& t) const {
    return Projection::along((at(t[1]) - at(t[0])).cross(at(t[2]) - at(t[0])));
  }
  /// A line through an edge of one has all of the other strictly beyond it: what is apart in a projection is apart.
  bool apart_in_projection(const Triangle& s, const Triangle& t) const {
    const Projection plane = flat(s);
    for (const auto& [one, other] : {std::pair(&s, &t), std::pair(&t, &s)})
      for (std::size_t k = 0; k < 3; ++k) {
        const Point2 a = plane(at((*one)[k])), b = plane(at((*one)[(k + 1) % 3]));
        const int inner = orient2d(a, b, plane(at((*one)[(k + 2) % 3])));
        if (inner == 0) continue;
        bool beyond = true;
        for (std::size_t j = 0; j < 3 && beyond; ++j) beyond = orient2d(a, b, plane(at((*other)[j]))) == -inner;
        if (beyond) return true;
      }
    return false;
  }
  /// The same for two that share their first corner, with lines through that corner.
  bool wedges_apart_in_projection(const Triangle& s, const Triangle& t) const {
    const Projection plane = flat(s);
    const Point2 v = plane(at(s[0]));
    for (const auto& [one, other] : {std::pair(&s, &t), std::pair(&t, &s)})
      for (std::size_t k = 1; k < 3; ++k) {
        const Point2 a = plane(at((*one)[k]));
        const int inner = orient2d(v, a, plane(at((*one)[3 - k])));
        if (inner != 0 && orient2d(v, a, plane(at((*other)[1]))) == -inner && orient2d(v, a, plane(at((*other)[2]))) == -inner)
          return true;
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
  switch (shared) {
    case 0: return test.apart(s, t);
    case 1: return test.at_corner(s, t);
    case 2: return test.at_edge(s, t);
    default: return false;
  }
}

}  // namespace anvil
