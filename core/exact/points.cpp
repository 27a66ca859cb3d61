// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/exact/points.h"

#include <CGAL/Mpzf.h>

namespace anvil {
namespace {

using Exact = CGAL::Mpzf;

template <class T>
struct Triple {
  T x, y, z;
};

template <class T>
Triple<T> minus(const Vec3& a, const Vec3& b) {
  return {T(a.x()) - T(b.x()), T(a.y()) - T(b.y()), T(a.z()) - T(b.z())};
}
template <class T>
Triple<T> cross(const Triple<T>& a, const Triple<T>& b) {
  return {a.y * b.z - a.z * b.y, a.z * b.x - a.x * b.z, a.x * b.y - a.y * b.x};
}
template <class T>
T dot(const Triple<T>& a, const Triple<T>& b) {
  return a.x * b.x + a.y * b.y + a.z * b.z;
}
/// A normal of a plane through three points, on its side, of any length. Planes square to an axis, the most frequent ones, have
/// a short one.
template <class T>
Triple<T> normal(const Vec3* plane) {
  if (const int axis = square_to(plane[0], plane[1], plane[2]); axis < 3) {
    const Projection flat = seen_along(axis);
    const T side(orient2d(flat(plane[0]), flat(plane[1]), flat(plane[2])));
    return {axis == 0 ? side : T(0), axis == 1 ? side : T(0), axis == 2 ? side : T(0)};
  }
  return cross(minus<T>(plane[1], plane[0]), minus<T>(plane[2], plane[0]));
}

/// Line through d[0], d[1] and plane through d[2], d[3], d[4]: the point is d[0] + n/w (d[1] − d[0]).
template <class T>
void line_plane(const Vec3* d, T& n, T& w) {
  const Triple<T> across = normal<T>(d + 2);
  n = dot(across, minus<T>(d[2], d[0]));
  w = dot(across, minus<T>(d[1], d[0]));
}

/// Three planes, relative to d[0]: numerators and w (Cramer's rule; the first plane has offset 0).
template <class T>
void three_planes(const Vec3* d, Triple<T>& n, T& w) {
  const Triple<T> a = normal<T>(d), b = normal<T>(d + 3), c = normal<T>(d + 6);
  const T kb = dot(b, minus<T>(d[3], d[0])), kc = dot(c, minus<T>(d[6], d[0]));
  const Triple<T> ca = cross(c, a), ab = cross(a, b);
  n = {kb * ca.x + kc * ab.x, kb * ca.y + kc * ab.y, kb * ca.z + kc * ab.z};
  w = dot(a, cross(b, c));
}

int sign_of(const Exact& x) { return CGAL::sign(x); }

double ratio(const Exact& n, const Exact& w) {
  // Far-away exponents would overflow a plain quotient of doubles; coordinates of any use do not.
  return CGAL::to_double(n) / CGAL::to_double(w);
}

}  // namespace

struct PointSet::Homogeneous {
  Exact x, y, z, w;
  const Exact& operator[](int axis) const { return axis == 0 ? x : axis == 1 ? y : z; }
};

PointSet::Kept::~Kept() { delete exact.load(); }

PointSet::Homogeneous PointSet::of_given(Index id) const { return {given_[id].x(), given_[id].y(), given_[id].z(), 1}; }

PointSet::Homogeneous PointSet::compute(const Defined& d) const {
  const Vec3* by = definers_.data() + d.first;
  Triple<Exact> n;
  Exact w;
  if (d.three_planes) {
    three_planes<Exact>(by, n, w);
  } else {
    Exact t;
    line_plane<Exact>(by, t, w);
    const Triple<Exact> along = minus<Exact>(by[1], by[0]);
    n = {t * along.x, t * along.y, t * along.z};
  }
  Homogeneous h{n.x + Exact(by[0].x()) * w, n.y + Exact(by[0].y()) * w, n.z + Exact(by[0].z()) * w, w};
  if (sign_of(h.w) < 0) h = {-h.x, -h.y, -h.z, -h.w};
  return h;
}

const PointSet::Homogeneous& PointSet::exact_of_defined(Index id) const {
  const Defined& d = defined_[id - given_.size()];
  if (const Homogeneous* known = d.kept.exact.load(std::memory_order_acquire)) return *known;
  const auto* made = new Homogeneous(compute(d));
  const Homogeneous* expected = nullptr;
  // Two threads may have made it; both made the same.
  if (d.kept.exact.compare_exchange_strong(expected, made, std::memory_order_acq_rel)) return *made;
  delete made;
  return *expected;
}

Index PointSet::finish(Defined d) {
  const auto id = static_cast<Index>(size());
  defined_.push_back(std::move(d));
  Defined& made = defined_.back();
  const Vec3* by = definers_.data() + d.first;
  Triple<Bounded> n;
  Bounded w;
  if (d.three_planes) {
    three_planes<Bounded>(by, n, w);
    n = {n.x / w, n.y / w, n.z / w};
  } else {
    Bounded t;
    line_plane<Bounded>(by, t, w);
    t = t / w;
    const Triple<Bounded> along = minus<Bounded>(by[1], by[0]);
    n = {t * along.x, t * along.y, t * along.z};
  }
  made.at = {n.x + Bounded(by[0].x()), n.y + Bounded(by[0].y()), n.z + Bounded(by[0].z())};
  double scale = 0;
  for (const Bounded& c : made.at) scale = std::max(scale, std::abs(c.value));
  for (const Bounded& c : made.at)
    if (!(c.error <= 1e-14 * scale)) {
      // Nearly parallel: the quotient of exact numbers is good to a few units in the last place.
      const Homogeneous& h = exact_of_defined(id);
      for (int k = 0; k < 3; ++k) {
        const double v = ratio(h[k], h.w);
        made.at[static_cast<std::size_t>(k)] = {v, 4 * unit_roundoff * std::abs(v) + underflow_bound};
      }
      break;
    }
  return id;
}

Index PointSet::add(const Vec3& p, const Vec3& q, const Plane& plane) {
  const auto first = static_cast<Index>(definers_.size());
  definers_.insert(definers_.end(), {p, q, plane[0], plane[1], plane[2]});
  return finish({{}, first, false});
}

Index PointSet::add(const Plane& a, const Plane& b, const Plane& c) {
  const auto first = static_cast<Index>(definers_.size());
  for (const Plane& plane : {a, b, c}) definers_.insert(definers_.end(), plane.begin(), plane.end());
  return finish({{}, first, true});
}

Index PointSet::add_crossing(const Vec3& p, const Vec3& q, const Vec3& r, const Vec3& s) {
  // A plane through rs and along the axis on which the two directions differ most.
  const Triple<Exact> across = cross(minus<Exact>(q, p), minus<Exact>(s, r));
  const std::array<double, 3> size{std::abs(CGAL::to_double(across.x)), std::abs(CGAL::to_double(across.y)),
                                   std::abs(CGAL::to_double(across.z))};
  const auto axis = std::max_element(size.begin(), size.end()) - size.begin();
  Vec3 beside = r;
  beside[axis] += std::max({(q - p).cwiseAbs().maxCoeff(), (s - r).cwiseAbs().maxCoeff(), std::abs(r[axis])});
  return add(p, q, Plane{r, s, beside});
}

int PointSet::side(const Plane& plane, Index id) const {
  if (is_given(id)) return orient3d(plane[0], plane[1], plane[2], given_[id]);
  if (const int axis = square_to(plane[0], plane[1], plane[2]); axis < 3) {
    const Projection flat = seen_along(axis);
    const Bounded at = coordinate(id, axis);
    const double height = plane[0][axis];
    int above = at.value - at.error > height ? 1 : at.value + at.error < height ? -1 : 0;
    if (above == 0) {
      const Homogeneous& h = exact_of_defined(id);
      above = sign_of(h[axis] - h.w * Exact(height));
    }
    return above == 0 ? 0 : above * orient2d(flat(plane[0]), flat(plane[1]), flat(plane[2]));
  }
  const Triple<Bounded> across = normal<Bounded>(plane.data());
  const Triple<Bounded> to{coordinate(id, 0) - Bounded(plane[0].x()), coordinate(id, 1) - Bounded(plane[0].y()),
                          coordinate(id, 2) - Bounded(plane[0].z())};
  if (const int s = dot(across, to).sign(); s != 0) return s;
  const Homogeneous& h = exact_of_defined(id);
  const Triple<Exact> n = normal<Exact>(plane.data());
  const Exact d = n.x * (h.x - h.w * Exact(plane[0].x())) + n.y * (h.y - h.w * Exact(plane[0].y())) +
                  n.z * (h.z - h.w * Exact(plane[0].z()));
  return sign_of(d);
}

int PointSet::turn(const Projection& plane, Index a, Index b, Index c) const {
  const int u = plane.u, v = plane.v;
  if (is_given(a) && is_given(b) && is_given(c)) return orient2d(plane(given_[a]), plane(given_[b]), plane(given_[c]));
  const Bounded au = coordinate(a, u), av = coordinate(a, v);
  const Bounded area = (coordinate(b, u) - au) * (coordinate(c, v) - av) - (coordinate(b, v) - av) * (coordinate(c, u) - au);
  if (const int s = area.sign(); s != 0) return s;
  Homogeneous ga, gb, gc;
  const Homogeneous &A = is_given(a) ? ga = of_given(a) : exact_of_defined(a), &B = is_given(b) ? gb = of_given(b) : exact_of_defined(b),
                    &C = is_given(c) ? gc = of_given(c) : exact_of_defined(c);
  const Exact bu = B[u] * A.w - A[u] * B.w, bv = B[v] * A.w - A[v] * B.w;
  const Exact cu = C[u] * A.w - A[u] * C.w, cv = C[v] * A.w - A[v] * C.w;
  return sign_of(bu * cv - bv * cu);  // all w are positive
}

int PointSet::compare(int axis, Index a, Index b) const {
  const Bounded x = coordinate(a, axis), y = coordinate(b, axis);
  if (x.value - x.error > y.value + y.error) return 1;
  if (x.value + x.error < y.value - y.error) return -1;
  if (is_given(a) && is_given(b)) return x.value > y.value ? 1 : x.value < y.value ? -1 : 0;
  Homogeneous ga, gb;
  const Homogeneous &A = is_given(a) ? ga = of_given(a) : exact_of_defined(a), &B = is_given(b) ? gb = of_given(b) : exact_of_defined(b);
  return sign_of(A[axis] * B.w - B[axis] * A.w);
}

bool PointSet::equal(Index a, Index b) const {
  for (int axis = 0; axis < 3; ++axis) {
    const Bounded x = coordinate(a, axis), y = coordinate(b, axis);
    if (x.value - x.error > y.value + y.error || x.value + x.error < y.value - y.error) return false;
  }
  if (is_given(a) && is_given(b)) return given_[a] == given_[b];
  Homogeneous ga, gb;
  const Homogeneous &A = is_given(a) ? ga = of_given(a) : exact_of_defined(a), &B = is_given(b) ? gb = of_given(b) : exact_of_defined(b);
  for (int axis = 0; axis < 3; ++axis)
    if (sign_of(A[axis] * B.w - B[axis] * A.w) != 0) return false;
  return true;
}

}  // namespace anvil
