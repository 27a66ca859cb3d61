// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/shape/drape.h"

#include <tbb/enumerable_thread_specific.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <set>
#include <tuple>

#include "core/mesh/bvh.h"

namespace anvil {
namespace {

/// Where the sheet under a line cuts a face: shares of the line, and depths along the direction.
struct Cut {
  Index face;
  double from, to;
  double from_depth, to_depth;
  double depth_at(double share) const { return from_depth + (to_depth - from_depth) * (share - from) / (to - from); }
};

class Draping {
 public:
  Draping(const Mesh& part, std::span<const LinePiece> lines, const Vec3& direction, const Control& control)
      : part_(part), way_(direction.stableNormalized()), list_(triangulate(part)), size_(bounds(part).diagonal()) {
    double low = 1e300, high = -1e300;
    for (const Vec3& p : part.positions) low = std::min(low, p.dot(way_)), high = std::max(high, p.dot(way_));
    for (const auto& [a, b] : lines_across(lines, way_, size_)) lines_.push_back({at(a, low), at(b, low)});
    cuts_.resize(lines_.size());
    collect(high - low, control);
  }

  Mesh run(std::span<const Index> faces, bool first, const Control& control) {
    std::vector<char> wanted(part_.face_count(), faces.empty());
    for (Index f : faces) wanted[f] = 1;
    for (std::size_t k = 0; k < lines_.size(); ++k) {
      check_stop(control);
      join_on_faces(cuts_[k]);
      add_lozenges(k, wanted, first);
    }
    return std::move(sheet_);
  }

 private:
  Vec3 at(const Vec3& p, double depth) const { return p + (depth - p.dot(way_)) * way_; }

  /// All cuts of the triangles, by line.
  void collect(double depth, const Control& control) {
    // Turned so that sheets stand upright, and these in pieces, boxes are slim.
    const Vec3 u = way_.unitOrthogonal(), v = way_.cross(u);
    const auto turned = [&](const Vec3& p) { return Vec3(p.dot(u), p.dot(v), p.dot(way_)); };
    std::vector<Vec3> points;
    for (const Vec3& p : part_.positions) points.push_back(turned(p));
    std::vector<Triangle> things = list_.triangles;
    std::vector<Index> groups(things.size(), 0), line_of;
    const auto triangles = static_cast<Index>(things.size());
    for (Index k = 0; k < lines_.size(); ++k) {
      check_stop(control);
      const Vec3 a = turned(lines_[k][0]), b = turned(lines_[k][1]), down(0, 0, depth);
      const auto pieces = static_cast<int>(std::clamp(std::ceil((b - a).norm() / (0.02 * size_)), 1.0, 64.0));
      for (int j = 0; j < pieces; ++j) {
        const Vec3 from = a + (b - a) * (static_cast<double>(j) / pieces), to = a + (b - a) * (static_cast<double>(j + 1) / pieces);
        const auto n = static_cast<Index>(points.size());
        points.insert(points.end(), {from, to, to + down, from + down});
        things.insert(things.end(), {{n, n + 1, n + 2}, {n, n + 2, n + 3}});
        groups.insert(groups.end(), 2, 1);
        line_of.insert(line_of.end(), 2, k);
      }
    }
    tbb::enumerable_thread_specific<std::vector<std::pair<Index, Index>>> found;
    Bvh(points, things, 1e-9 * size_, groups)
        .for_each_pair(
            [&](Index i, Index j) {
              const Index line = line_of[std::max(i, j) - triangles], triangle = std::min(i, j);
              if (parts(line, triangle)) found.local().emplace_back(line, triangle);
            },
            control.stop);
    std::vector<std::pair<Index, Index>> pairs;
    for (const auto& list : found) pairs.insert(pairs.end(), list.begin(), list.end());
    std::sort(pairs.begin(), pairs.end());
    pairs.erase(std::unique(pairs.begin(), pairs.end()), pairs.end());
    check_stop(control);
    for (const auto& [line, triangle] : pairs) {
      check_stop(control);
      cut(line, triangle);
    }
  }

  /// How far a point is off the plane of a line's sheet, times a length. What lies in it counts as beside it: an edge there is met by one of its faces alone.
  double off(Index line, const Vec3& p) const { return (p - lines_[line][0]).dot((lines_[line][1] - lines_[line][0]).cross(way_)); }
  /// Has the triangle corners on both sides of that plane?
  bool parts(Index line, Index triangle) const {
    const auto& [a, b, c] = list_.triangles[triangle];
    const bool first = off(line, part_.positions[a]) < 0;
    return first != (off(line, part_.positions[b]) < 0) || first != (off(line, part_.positions[c]) < 0);
  }

  void cut(Index line, Index triangle) {
    const auto& [a, b] = lines_[line];
    const Vec3 along = (b - a) / (b - a).squaredNorm();
    const Triangle& t = list_.triangles[triangle];
    std::vector<std::pair<double, double>> ends;  // share and depth
    for (std::size_t k = 0; k < 3; ++k) {
      // From the same end of the edge on both of its sides, so that these come to the same point.
      const Vec3 &p = part_.positions[std::min(t[k], t[(k + 1) % 3])], &q = part_.positions[std::max(t[k], t[(k + 1) % 3])];
      const double from = off(line, p), to = off(line, q);
      if ((from < 0) == (to < 0)) continue;
      const Vec3 x = p + (q - p) * (from / (from - to));
      ends.emplace_back((x - a).dot(along), x.dot(way_));
    }
    if (ends.size() != 2) return;
    if (ends[0] > ends[1]) std::swap(ends[0], ends[1]);
    Cut piece{list_.face[triangle], ends[0].first, ends[1].first, ends[0].second, ends[1].second};
    if (piece.to - piece.from < least_share || piece.to <= 0 || piece.from >= 1) return;
    const Cut whole = piece;
    if (piece.from < 0) piece.from = 0, piece.from_depth = whole.depth_at(0);
    if (piece.to > 1) piece.to = 1, piece.to_depth = whole.depth_at(1);
    cuts_[line].push_back(piece);
  }

  /// What goes on straight over the triangles of one face is one cut.
  void join_on_faces(std::vector<Cut>& cuts) const {
    std::sort(cuts.begin(), cuts.end(), [](const Cut& a, const Cut& b) { return std::tie(a.face, a.from, a.to) < std::tie(b.face, b.from, b.to); });
    std::vector<Cut> joined;
    for (const Cut& cut : cuts) {
      if (!joined.empty()) {
        Cut& last = joined.back();
        Cut both{cut.face, last.from, cut.to, last.from_depth, cut.to_depth};
        if (last.face == cut.face && std::abs(last.to - cut.from) < least_share && std::abs(last.to_depth - cut.from_depth) < 1e-9 * size_ &&
            std::abs(both.depth_at(cut.from) - cut.from_depth) < 1e-9 * size_) {
          last = both;
          continue;
        }
      }
      joined.push_back(cut);
    }
    cuts = std::move(joined);
  }

  void add_lozenges(std::size_t line, const std::vector<char>& wanted, bool first) {
    const std::vector<Cut>& cuts = cuts_[line];
    std::vector<double> events;
    for (const Cut& cut : cuts) events.push_back(cut.from), events.push_back(cut.to);
    std::sort(events.begin(), events.end());
    events.erase(std::unique(events.begin(), events.end()), events.end());
    std::vector<std::size_t> by_begin(cuts.size());
    for (std::size_t k = 0; k < cuts.size(); ++k) by_begin[k] = k;
    std::sort(by_begin.begin(), by_begin.end(), [&](std::size_t i, std::size_t j) { return cuts[i].from < cuts[j].from; });
    /// A stretch of one cut that is drawn, and the cuts beside it, with where they are.
    struct Stretch {
      double from, to;
      struct Other {
        std::size_t cut;
        double from, to;
      };
      std::vector<Other> others;
    };
    std::map<std::size_t, Stretch> open;
    const auto close = [&](std::size_t k, const Stretch& stretch) {
      const double middle = (stretch.from + stretch.to) / 2, half = middle - stretch.from;
      double height = 2e-3 * size_;
      for (const auto& other : stretch.others)
        for (double share : {other.from, middle, other.to}) {
          if (share < other.from || share > other.to) continue;
          const double tall = 1 - std::abs(share - middle) / half;
          if (tall > 1e-9) height = std::min(height, 0.5 * std::abs(cuts[other.cut].depth_at(share) - cuts[k].depth_at(share)) / tall);
        }
      add_lozenge(line, cuts[k], stretch.from, stretch.to, std::max(height, 4e-6 * size_));
    };
    std::vector<std::size_t> active;
    std::size_t next = 0;
    for (std::size_t e = 0; e + 1 < events.size(); ++e) {
      const double from = events[e], to = events[e + 1], middle = (from + to) / 2;
      std::erase_if(active, [&](std::size_t k) { return cuts[k].to <= from; });
      for (; next < by_begin.size() && cuts[by_begin[next]].from <= from; ++next) active.push_back(by_begin[next]);
      std::sort(active.begin(), active.end(), [&](std::size_t i, std::size_t j) { return cuts[i].depth_at(middle) < cuts[j].depth_at(middle); });
      if (to - from < least_share) continue;
      std::map<std::size_t, Stretch> still;
      for (std::size_t n = 0; n < active.size() && (n == 0 || !first); ++n) {
        const std::size_t k = active[n];
        if (!wanted[cuts[k].face]) continue;
        auto it = open.find(k);
        Stretch stretch = it == open.end() ? Stretch{from, to, {}} : std::move(it->second);
        if (it != open.end()) open.erase(it);
        stretch.to = to;
        if (n > 0) stretch.others.push_back({active[n - 1], from, to});
        if (n + 1 < active.size()) stretch.others.push_back({active[n + 1], from, to});
        still.emplace(k, std::move(stretch));
      }
      for (const auto& [k, stretch] : open) close(k, stretch);
      open = std::move(still);
    }
    for (const auto& [k, stretch] : open) close(k, stretch);
  }

  void add_lozenge(std::size_t line, const Cut& cut, double from, double to, double height) {
    const auto& [a, b] = lines_[line];
    const auto vertex = [&](double share, double depth) { return at(a + share * (b - a), depth); };
    const double middle = (from + to) / 2;
    const Vec3 begin = vertex(from, cut.depth_at(from)), end = vertex(to, cut.depth_at(to));
    if ((end - begin).norm() < 1e-9 * size_) return;
    const auto number = [&](const Vec3& p) {
      const auto [it, is_new] = vertices_.emplace(std::array{p.x(), p.y(), p.z()}, static_cast<Index>(sheet_.positions.size()));
      if (is_new) sheet_.add_vertex(p);
      return it->second;
    };
    const Index low = sheet_.add_vertex(vertex(middle, cut.depth_at(middle) - height)), high = sheet_.add_vertex(vertex(middle, cut.depth_at(middle) + height));
    sheet_.add_face({number(begin), low, number(end), high});
  }

  static constexpr double least_share = 1e-12;

  const Mesh& part_;
  Vec3 way_;
  TriangleList list_;
  double size_;
  std::vector<LinePiece> lines_;
  std::vector<std::vector<Cut>> cuts_;
  Mesh sheet_;
  std::map<std::array<double, 3>, Index> vertices_;
};

}  // namespace

std::vector<LinePiece> lines_across(std::span<const LinePiece> lines, const Vec3& direction, double size) {
  const Vec3 way = direction.stableNormalized();
  std::vector<LinePiece> kept;
  std::set<std::pair<std::array<double, 3>, std::array<double, 3>>> swept;
  for (const LinePiece& line : lines) {
    const Vec3 along = line[1] - line[0];
    if ((along - along.dot(way) * way).norm() <= 1e-12 * size) continue;
    const auto flat = [&](const Vec3& p) {
      const Vec3 q = (p - p.dot(way) * way) / (1e-9 * size);
      return std::array<double, 3>{std::round(q.x()), std::round(q.y()), std::round(q.z())};
    };
    const auto from = flat(line[0]), to = flat(line[1]);
    if (swept.emplace(std::min(from, to), std::max(from, to)).second) kept.push_back(line);
  }
  return kept;
}

Mesh drape(const Mesh& part, std::span<const LinePiece> lines, const Vec3& direction, std::span<const Index> faces, bool first, const Control& control) {
  return Draping(part, lines, direction, control).run(faces, first, control);
}

}  // namespace anvil
