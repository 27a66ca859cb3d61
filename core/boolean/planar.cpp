// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/boolean/planar.h"

#include "core/boolean/contradiction.h"

#include <algorithm>

namespace anvil::boolean {
namespace {

int next(int i) { return i == 2 ? 0 : i + 1; }
int prev(int i) { return i == 0 ? 2 : i - 1; }
std::size_t z(int i) { return static_cast<std::size_t>(i); }

}  // namespace

Planar::Planar(const PointSet& points, std::span<const Index> corners, std::span<const Part> parts, const Projection& projection)
    : points_(points), projection_(projection) {
  for (Index c : corners) new_vertex(c);
  const auto& [a, b, c] = parts[0].corners;
  sign_ = points_.turn(projection_, corners[u(a)], corners[u(b)], corners[u(c)]);
  if (sign_ == 0) throw Contradiction("a triangle without area reached the subdivision");
  tris_.resize(parts.size());
  for (int t = 0; t < static_cast<int>(parts.size()); ++t) {
    const auto& beyond = parts[u(t)].beyond;
    // The edge opposite a corner runs from the next one.
    set(t, parts[u(t)].corners, {beyond[1], beyond[2], beyond[0]}, {beyond[1] < 0, beyond[2] < 0, beyond[0] < 0});
  }
}

Planar::Planar(const PointSet& points, const Triangle& corners, const Projection& projection)
    : Planar(points, corners, std::array{Part{{0, 1, 2}, {-1, -1, -1}}}, projection) {}

int Planar::new_vertex(Index point) {
  ids_.push_back(point);
  const Vec3 p = points_.approximate(point);
  at_.push_back(projection_(p));
  some_.push_back(-1);
  sorted_ = false;
  return static_cast<int>(ids_.size()) - 1;
}

int Planar::index_of(int t, int v) const {
  const auto& corners = tris_[u(t)].v;
  return corners[0] == v ? 0 : corners[1] == v ? 1 : 2;
}

void Planar::replace_neighbour(int t, int old, int now) {
  if (t < 0) return;
  for (int& n : tri(t).n)
    if (n == old) {
      n = now;
      return;
    }
}

void Planar::set(int t, std::array<int, 3> v, std::array<int, 3> n, std::array<bool, 3> fixed) {
  tri(t) = {v, n, fixed};
  for (int k : v) some_[u(k)] = t;
}

void Planar::split(int t, int v) {
  const Tri old = tri(t);
  const int a = t, b = static_cast<int>(tris_.size()), c = b + 1;
  tris_.resize(tris_.size() + 2);
  set(a, {v, old.v[1], old.v[2]}, {old.n[0], b, c}, {old.fixed[0], false, false});
  set(b, {old.v[0], v, old.v[2]}, {a, old.n[1], c}, {false, old.fixed[1], false});
  set(c, {old.v[0], old.v[1], v}, {a, b, old.n[2]}, {false, false, old.fixed[2]});
  replace_neighbour(old.n[1], t, b);
  replace_neighbour(old.n[2], t, c);
}

/// Splits the edge opposite corner i of t at v.
void Planar::split_edge(int t, int i, int v) {
  const Tri old = tri(t);
  const int p = old.v[z(i)], q = old.v[z(next(i))], r = old.v[z(prev(i))];
  const int nq = old.n[z(next(i))], nr = old.n[z(prev(i))];  // across p–r and p–q
  const bool fq = old.fixed[z(next(i))], fr = old.fixed[z(prev(i))], fixed = old.fixed[z(i)];
  const int beyond = old.n[z(i)];
  const int t2 = static_cast<int>(tris_.size());
  tris_.resize(tris_.size() + (beyond >= 0 ? 2 : 1));
  const int b2 = t2 + 1;
  if (beyond < 0) {
    set(t, {p, q, v}, {-1, t2, nr}, {fixed, false, fr});
    set(t2, {p, v, r}, {-1, nq, t}, {fixed, fq, false});
  } else {
    const Tri other = tri(beyond);
    const int j = other.n[0] == t ? 0 : other.n[1] == t ? 1 : 2;
    const int s = other.v[z(j)];  // the other runs s, r, q
    const int nsq = other.n[z(next(j))], nsr = other.n[z(prev(j))];
    const bool fsq = other.fixed[z(next(j))], fsr = other.fixed[z(prev(j))];
    set(t, {p, q, v}, {beyond, t2, nr}, {fixed, false, fr});
    set(t2, {p, v, r}, {b2, nq, t}, {fixed, fq, false});
    set(beyond, {s, v, q}, {t, nsq, b2}, {fixed, fsq, false});
    set(b2, {s, r, v}, {t2, beyond, nsr}, {fixed, false, fsr});
    replace_neighbour(nsr, beyond, b2);
  }
  replace_neighbour(nq, t, t2);
}

void Planar::add_on_edge(int from, int end, std::span<const Index> inside) {
  // Find its last piece once, then split towards the end.
  int t = 0, i = 0;
  if (inside.empty() || !find_edge(from, end, t, i)) return;
  for (Index point : inside) {
    const int v = new_vertex(point);
    split_edge(t, i, v);
    find_edge(v, end, t, i);
  }
}

/// A triangle that a point lies in or at, by looking at all: the way to it may leave a facet that is not convex.
int Planar::find_around(int v) const {
  // Nearly all are far away, which doubles tell; should they tell too much, all are looked at.
  const Point2& p = at_[u(v)];
  auto is_far = [&](const std::array<int, 3>& c) {
    const Point2 &x = at_[u(c[0])], &y = at_[u(c[1])], &w = at_[u(c[2])];
    return p.x < std::min({x.x, y.x, w.x}) || p.x > std::max({x.x, y.x, w.x}) || p.y < std::min({x.y, y.y, w.y}) || p.y > std::max({x.y, y.y, w.y});
  };
  for (const bool all : {false, true})
    for (int t = 0; t < static_cast<int>(tris_.size()); ++t) {
      const auto& c = tris_[u(t)].v;
      if ((all || !is_far(c)) && turn(c[0], c[1], v) >= 0 && turn(c[1], c[2], v) >= 0 && turn(c[2], c[0], v) >= 0) return t;
    }
  throw Contradiction("a point outside its facet");
}

void Planar::add_inside(Index point) {
  const int v = new_vertex(point);
  int t = last_ < static_cast<int>(tris_.size()) ? last_ : 0;
  unsigned turn_of = 0;
  const std::size_t most = 16 * tris_.size() + 64;
  for (std::size_t step = 0;; ++step) {
    if (step > most) throw Contradiction("point location does not end");
    int out = -1, zero = -1, zeros = 0;
    turn_of = turn_of * 1664525u + 1013904223u;
    const int offset = static_cast<int>((turn_of >> 16) % 3);
    for (int j = 0; j < 3; ++j) {
      const int i = (j + offset) % 3;
      const int o = turn(tri(t).v[z(next(i))], tri(t).v[z(prev(i))], v);
      if (o < 0) {
        out = i;
        break;
      }
      if (o == 0) {
        zero = i;
        ++zeros;
      }
    }
    if (out >= 0) {
      t = tri(t).n[z(out)];
      if (t < 0) t = find_around(v);
      continue;
    }
    if (zeros > 1) throw Contradiction("a point that is there already");
    stack_.clear();
    const int before = static_cast<int>(tris_.size());
    const int beyond = zeros == 1 ? tri(t).n[z(zero)] : -1;
    if (zeros == 1)
      split_edge(t, zero, v);
    else
      split(t, v);
    for (int n : {t, beyond})
      if (n >= 0) stack_.emplace_back(n, index_of(n, v));
    for (int n = before; n < static_cast<int>(tris_.size()); ++n) stack_.emplace_back(n, index_of(n, v));
    legalise();
    last_ = some_[u(v)];
    return;
  }
}

bool Planar::flippable(int t, int i) const {
  const Tri& a = tris_[u(t)];
  if (a.fixed[z(i)] || a.n[z(i)] < 0) return false;
  const Tri& b = tris_[u(a.n[z(i)])];
  const int j = b.n[0] == t ? 0 : b.n[1] == t ? 1 : 2;
  const int p = a.v[z(i)], q = a.v[z(next(i))], r = a.v[z(prev(i))], s = b.v[z(j)];
  return turn(p, q, s) > 0 && turn(p, s, r) > 0;
}

void Planar::flip(int t, int i) {
  const Tri a = tri(t);
  const int o = a.n[z(i)];
  const Tri b = tri(o);
  const int j = b.n[0] == t ? 0 : b.n[1] == t ? 1 : 2;
  const int p = a.v[z(i)], q = a.v[z(next(i))], r = a.v[z(prev(i))], s = b.v[z(j)];
  const int npr = a.n[z(next(i))], npq = a.n[z(prev(i))], nsq = b.n[z(next(j))], nsr = b.n[z(prev(j))];
  const bool fpr = a.fixed[z(next(i))], fpq = a.fixed[z(prev(i))], fsq = b.fixed[z(next(j))], fsr = b.fixed[z(prev(j))];
  set(t, {p, q, s}, {nsq, o, npq}, {fsq, false, fpq});
  set(o, {p, s, r}, {nsr, npr, t}, {fsr, fpr, false});
  replace_neighbour(nsq, o, t);
  replace_neighbour(npr, t, o);
}

/// Would the other diagonal be clearly better (the far corner inside the circle)?
bool Planar::fairer(int t, int i) const {
  const Tri& a = tris_[u(t)];
  const Tri& b = tris_[u(a.n[z(i)])];
  const int j = b.n[0] == t ? 0 : b.n[1] == t ? 1 : 2;
  const Point2 s = at_[u(b.v[z(j)])];
  std::array<double, 3> x{}, y{}, w{};
  for (int k = 0; k < 3; ++k) {
    x[z(k)] = at_[u(a.v[z(k)])].x - s.x;
    y[z(k)] = at_[u(a.v[z(k)])].y - s.y;
    w[z(k)] = x[z(k)] * x[z(k)] + y[z(k)] * y[z(k)];
  }
  const double t0 = w[0] * (x[1] * y[2] - x[2] * y[1]), t1 = w[1] * (x[2] * y[0] - x[0] * y[2]),
               t2 = w[2] * (x[0] * y[1] - x[1] * y[0]);
  const double det = sign_ * (t0 + t1 + t2), unsure = 1e-9 * (std::abs(t0) + std::abs(t1) + std::abs(t2));
  if (!ties_by_number_ || std::abs(det) > unsure) return det > unsure;
  const Index p = ids_[u(a.v[z(i)])], q = ids_[u(a.v[z(next(i))])], r = ids_[u(a.v[z(prev(i))])], far = ids_[u(b.v[z(j)])];
  return std::min(p, far) < std::min(q, r);
}

void Planar::legalise() {
  std::size_t budget = 64 * (stack_.size() + 16);
  while (!stack_.empty() && budget-- > 0) {
    const auto [t, i] = stack_.back();
    stack_.pop_back();
    const int o = tri(t).n[z(i)];
    if (o < 0 || tri(t).fixed[z(i)] || !fairer(t, i) || !flippable(t, i)) continue;
    flip(t, i);
    for (int n : {t, o})
      for (int k = 0; k < 3; ++k)
        if (tri(n).n[z(k)] != t && tri(n).n[z(k)] != o) stack_.emplace_back(n, k);
  }
}

void Planar::flip_to_delaunay(bool ties_by_number) {
  ties_by_number_ = ties_by_number;
  stack_.clear();
  for (int t = 0; t < static_cast<int>(tris_.size()); ++t)
    for (int i = 0; i < 3; ++i)
      if (tri(t).n[z(i)] > t) stack_.emplace_back(t, i);
  legalise();
}

/// The triangle from which turning counter-clockwise around v meets all its triangles.
int Planar::first_around(int v, int t) const {
  int first = t;
  while (true) {
    const int i = index_of(first, v);
    const int n = tris_[u(first)].n[z(prev(i))];  // clockwise neighbour: across v–next
    if (n < 0) return first;
    if (n == t) return t;
    first = n;
  }
}

bool Planar::find_edge(int a, int b, int& t, int& i) const {
  const int start = first_around(a, some_[u(a)]);
  int at = start;
  do {
    const int k = index_of(at, a);
    const Tri& here = tris_[u(at)];
    if (here.v[z(next(k))] == b) {
      t = at, i = prev(k);
      return true;
    }
    if (here.v[z(prev(k))] == b) {
      t = at, i = next(k);
      return true;
    }
    at = here.n[z(next(k))];
  } while (at >= 0 && at != start);
  return false;
}

void Planar::fix_edge(int a, int b) {
  int t = 0, i = 0;
  if (!find_edge(a, b, t, i)) throw Contradiction("an edge went missing in the subdivision");
  tri(t).fixed[z(i)] = true;
  const int o = tri(t).n[z(i)];
  if (o < 0) return;
  for (int j = 0; j < 3; ++j)
    if (tri(o).n[z(j)] == t) tri(o).fixed[z(j)] = true;
}

int Planar::local(Index point) const {
  auto& self = const_cast<Planar&>(*this);
  if (!sorted_) {
    self.by_id_.clear();
    for (std::size_t k = 0; k < ids_.size(); ++k) self.by_id_.emplace_back(ids_[k], static_cast<int>(k));
    std::sort(self.by_id_.begin(), self.by_id_.end());
    sorted_ = true;
  }
  const auto it = std::lower_bound(by_id_.begin(), by_id_.end(), std::pair{point, 0});
  if (it == by_id_.end() || it->first != point) throw Contradiction("a segment ends at an unknown point");
  return it->second;
}

void Planar::constrain(Index from, Index to) {
  int a = local(from);
  const int end = local(to);
  // Points that contact has only brought near may contradict each other, so that a walk comes back to where it was.
  std::size_t steps = 4 * (tris_.size() + ids_.size());
  auto count_step = [&] {
    if (steps-- == 0) throw Contradiction("a segment does not end");
  };
  while (a != end) {
    count_step();
    // Find where the segment leaves a.
    int at = first_around(a, some_[u(a)]);
    const int start = at;
    int reached = -1, t = -1;
    do {
      const int k = index_of(at, a);
      const int p = tri(at).v[z(next(k))], q = tri(at).v[z(prev(k))];
      if (p == end || q == end) {
        reached = end;
        break;
      }
      const int op = turn(a, end, p), oq = turn(a, end, q);
      if (op == 0 && oq > 0) reached = p;
      if (oq == 0 && op < 0) reached = q;
      if (reached >= 0) break;
      if (op < 0 && oq > 0) {
        t = at;
        break;
      }
      at = tri(at).n[z(next(k))];
      count_step();
    } while (at >= 0 && at != start);
    if (reached >= 0) {
      fix_edge(a, reached);
      a = reached;
      continue;
    }
    if (t < 0) throw Contradiction("a segment leaves its triangle");

    // Walk along it, collecting the edges it crosses, up to its end or to a vertex that lies on it.
    std::vector<std::pair<int, int>> crossed;
    int right = tri(t).v[z(next(index_of(t, a)))], left = tri(t).v[z(prev(index_of(t, a)))];
    int i = index_of(t, a), target = -1;
    while (target < 0) {
      count_step();
      if (tri(t).fixed[z(i)]) throw Contradiction("two segments cross in the subdivision");
      crossed.emplace_back(right, left);
      const int o = tri(t).n[z(i)];
      const int j = tri(o).n[0] == t ? 0 : tri(o).n[1] == t ? 1 : 2;
      const int apex = tri(o).v[z(j)];
      const int side = apex == end ? 0 : turn(a, end, apex);
      if (side == 0)
        target = apex;
      else {
        (side > 0 ? left : right) = apex;
        t = o;
        // The next edge is right–left; opposite it stands the vertex that was left behind.
        for (int k = 0; k < 3; ++k)
          if (tri(o).v[z(k)] != left && tri(o).v[z(k)] != right) i = k;
      }
    }
    // Flip the crossed edges away (Sloan, "A fast algorithm for generating constrained Delaunay
    // triangulations", Computers & Structures 1993).
    std::size_t budget = 64 * crossed.size() * crossed.size() + 1024;
    for (std::size_t first = 0; first < crossed.size(); ++first) {
      if (budget-- == 0) throw Contradiction("a segment cannot be made an edge");
      const auto [r, l] = crossed[first];
      int e = 0, k = 0;
      if (!find_edge(r, l, e, k)) throw Contradiction("an edge went missing under a segment");
      if (!flippable(e, k)) {
        crossed.emplace_back(r, l);
        continue;
      }
      const int x = tri(e).v[z(k)];
      const Tri& other = tri(tri(e).n[z(k)]);
      const int j = other.n[0] == e ? 0 : other.n[1] == e ? 1 : 2;
      const int y = other.v[z(j)];
      flip(e, k);
      if (x == a || y == a || x == target || y == target) continue;
      if (turn(a, target, x) * turn(a, target, y) < 0) crossed.emplace_back(x, y);
    }
    fix_edge(a, target);
    a = target;
  }
}

std::vector<Planar::Piece> Planar::pieces() const {
  std::vector<Piece> out;
  out.reserve(tris_.size());
  for (const Tri& t : tris_) out.push_back({{ids_[u(t.v[0])], ids_[u(t.v[1])], ids_[u(t.v[2])]}, t.n, t.fixed});
  return out;
}

}  // namespace anvil::boolean
