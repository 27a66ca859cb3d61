// SPDX-License-Identifier: GPL-3.0-or-later
// Stage 11: from triangles back to polygons. What nothing cut comes back as it was; of the rest, edges inside one
// flat polygon of the source go, and vertices in the middle of straight edges that only the cut had put there.
#include <tbb/parallel_for.h>
#include <tbb/parallel_invoke.h>

#include <algorithm>
#include <map>
#include <set>
#include <tuple>

#include "core/boolean/assemble.h"
#include "core/boolean/output.h"
#include "core/boolean/layer.h"
#include "core/boolean/polygons.h"
#include "core/boolean/separate.h"
#include "core/boolean/contradiction.h"
#include "core/boolean/invalid_triangles.h"
#include "core/mesh/box_cover.h"
#include "core/mesh/bucket_sort.h"
#include "core/mesh/union_find.h"

namespace anvil::boolean {

const Note contact_edges{"contact_edges", "the result touches itself along 1 edge and is separated there",
                         "the result touches itself along {0} edges and is separated there"};

const Note skins_dissolved{"skins_dissolved", "1 thin sheet, below the contact tolerance, went with its neighbour",
                           "{0} thin sheets, below the contact tolerance, went with their neighbours"};

const Note polygons_untouched{"polygons_untouched", "1 polygon came through untouched", "{0} polygons came through untouched", Note::Place::card};

namespace {

/// The polygons of all parts, by the triangles of the first soup.
class Sources {
 public:
  Sources(const std::vector<PreparedPtr>& parts, double flat) : parts_(parts), flat_(flat) {
    for (const PreparedPtr& p : parts) begin_.push_back(begin_.back() + static_cast<Index>(p->triangles.size()));
  }
  Index part_of(Index origin) const {
    if (begin_[last_] <= origin && origin < begin_[last_ + 1]) return last_;
    return last_ = static_cast<Index>(std::upper_bound(begin_.begin(), begin_.end(), origin) - begin_.begin() - 1);
  }
  const Prepared& part(Index k) const { return *parts_[k]; }
  Index begin(Index k) const { return begin_[k]; }

  /// Triangles of the polygon that a triangle belongs to: [first, end), in numbers of the first soup.
  std::pair<Index, Index> polygon(Index part, Index origin) const {
    const auto [first, end] = parts_[part]->polygon(origin - begin_[part]);
    return {begin_[part] + first, begin_[part] + end};
  }
  /// All its triangles lie in one plane, to rounding.
  bool is_flat(Index part, std::pair<Index, Index> polygon) const {
    if (polygon.second - polygon.first == 1) return true;
    const Prepared& p = *parts_[part];
    Vec3 normal = Vec3::Zero();
    const Vec3 origin = p.points[p.triangles[polygon.first - begin_[part]][0]];
    for (Index i = polygon.first; i < polygon.second; ++i) {
      const Triangle& t = p.triangles[i - begin_[part]];
      normal += (p.points[t[1]] - p.points[t[0]]).cross(p.points[t[2]] - p.points[t[0]]);
    }
    normal.stableNormalize();
    for (Index i = polygon.first; i < polygon.second; ++i)
      for (Index v : p.triangles[i - begin_[part]])
        if (std::abs(normal.dot(p.points[v] - origin)) > flat_) return false;
    return true;
  }
  /// A corner of the source polygon stands there.
  bool has_corner(Index part, std::pair<Index, Index> polygon, const Vec3& at) const {
    const Prepared& p = *parts_[part];
    for (Index i = polygon.first; i < polygon.second; ++i)
      for (Index v : p.triangles[i - begin_[part]])
        if (p.points[v] == at) return true;
    return false;
  }

 private:
  const std::vector<PreparedPtr>& parts_;
  double flat_;
  std::vector<Index> begin_{0};
  mutable Index last_ = 0;  ///< triangles come part after part
};

constexpr std::size_t max_corners_of_pieces = 8;

/// A face of the result.
struct JoinedFace {
  std::vector<Index> ring;
  std::vector<Triangle> cut = {};  ///< the triangles that the ring is cut into; empty: not known yet
  bool cut_as_before = false;      ///< those are the very triangles that came through the rounding stage, so that it is known to be sound
  std::vector<Index> triangles;  ///< of the rounded result
  Index part = 0;
  std::pair<Index, Index> source{0, 0};  ///< triangles of the source polygon
  bool whole = false;  ///< the source polygon, uncut
};

class JoinedFaces {
 public:
  JoinedFaces(const Rounded& rounded, const Separated& separated, const Sources& sources)
      : rounded_(rounded), separated_(separated), sources_(sources) {
    for (Index i = 0; i < rounded.triangles.size(); ++i)
      for (std::size_t k = 0; k < 3; ++k)
        if ((rounded.provenance[i].scored >> k & 1) != 0 && !rounded.provenance[i].trimmed)
          scored.insert(std::minmax({rounded.triangles[i][k], rounded.triangles[i][(k + 1) % 3]}));
  }

  std::vector<JoinedFace> list;        ///< those of several triangles
  std::vector<Index> triangles;  ///< those of one, by triangle of the rounded result
  std::set<std::pair<Index, Index>> scored;  ///< edges that a score drew, smaller vertex first

  /// Sorts triangles by the polygon they come from and joins them.
  /// @param cut_too  also those of polygons that something has cut
  void join(bool cut_too) {
    struct Member {
      Index first;  // triangle of the source polygon
      Index part;
      Index piece;
      bool flipped;
      Index triangle;
      auto key() const { return std::tuple(first, piece, flipped); }
    };
    std::vector<Member> members;
    for (Index i = 0; i < rounded_.triangles.size(); ++i) {
      const FaceProvenance& provenance = rounded_.provenance[i];
      if (provenance.trimmed) continue;
      const Index part = sources_.part_of(provenance.origin);
      const Prepared& p = sources_.part(part);
      if (provenance.whole && p.one_triangle_each) {
        triangles.push_back(i);
        ++untouched_polygons;
        continue;
      }
      members.push_back({sources_.polygon(part, provenance.origin).first, part, provenance.piece, provenance.flipped, i});
    }
    std::sort(members.begin(), members.end(), [](const Member& a, const Member& b) {
      return std::tuple(a.key(), a.triangle) < std::tuple(b.key(), b.triangle);
    });
    std::vector<std::size_t> begin;
    for (std::size_t i = 0; i < members.size(); ++i)
      if (i == 0 || members[i].key() != members[i - 1].key()) begin.push_back(i);
    begin.push_back(members.size());
    std::vector<std::vector<JoinedFace>> found(begin.size() - 1);
    tbb::parallel_for(std::size_t{0}, found.size(), [&](std::size_t g) {
      std::vector<Triangle> corners;
      std::vector<unsigned char> kept;
      std::vector<Index> origin;
      const std::size_t i = begin[g], j = begin[g + 1];
      const Index part = members[i].part;
      const auto polygon = sources_.polygon(part, members[i].first);
      bool whole = j - i == polygon.second - polygon.first;
      for (std::size_t k = i; k < j; ++k) {
        const FaceProvenance& provenance = rounded_.provenance[members[k].triangle];
        corners.push_back(rounded_.triangles[members[k].triangle]);
        origin.push_back(provenance.origin);
        kept.push_back(static_cast<unsigned char>(provenance.scored | provenance.non_manifold_edges));
        whole = whole && provenance.whole && kept.back() == 0;
      }
      auto add = [&](std::vector<Index> ring, std::vector<Index> triangles_of_it, std::vector<Triangle> cut = {}) {
        const bool as_before = !cut.empty();
        JoinedFace face{std::move(ring), std::move(cut), as_before, std::move(triangles_of_it), part, polygon, whole};
        for (Index& t : face.triangles) t = members[i + t].triangle;
        if (whole) begin_as_before(face);
        found[g].push_back(std::move(face));
      };
      auto add_triangle = [&](Index k) { add({corners[k].begin(), corners[k].end()}, {k}); };
      if (j - i == 1) return add_triangle(0);
      if (!whole && (!cut_too || !sources_.is_flat(part, polygon))) {
        for (Index k = 0; k < corners.size(); ++k) add_triangle(k);
        return;
      }
      // Pieces of a mesh of triangles are joined where that leaves its triangles as they are, which are known to be
      // sound; polygons of a modeler's mesh always, and looked at afterwards.
      const bool from_triangles = sources_.part(part).one_triangle_each;
      for (Joined& joined : join_triangles(rounded_.points, corners, kept, origin)) {
        if (!from_triangles) {
          add(std::move(joined.ring), std::move(joined.triangles));
          continue;
        }
        std::vector<Triangle> cut;
        if (joined.ring.size() <= max_corners_of_pieces) cut = triangulate(rounded_.points, joined.ring);
        if (same_triangles(corners, joined.triangles, cut))
          add(std::move(joined.ring), std::move(joined.triangles), std::move(cut));
        else
          for (Index k : joined.triangles) add_triangle(k);
      }
    });
    for (auto& faces : found) {
      if (faces[0].whole) ++untouched_polygons;
      for (JoinedFace& face : faces) {
        if (face.triangles.size() == 1)
          triangles.push_back(face.triangles[0]);
        else
          list.push_back(std::move(face));
      }
    }
  }

  /// Takes vertices out of straight edges that two faces share, where neither source polygon has a corner there.
  void straighten(double tolerance) {
    struct Corner {
      Index vertex, face;
      bool operator<(const Corner& o) const { return std::pair(vertex, face) < std::pair(o.vertex, o.face); }
    };
    // Faces of one triangle take part: they may be what lies beyond the edge, but cannot lose a corner.
    std::vector<char> at_triangle(rounded_.points.size(), 0);
    for (Index t : triangles)
      for (Index v : rounded_.triangles[t]) at_triangle[v] = 1;
    std::vector<Corner> corners;
    for (Index f = 0; f < list.size(); ++f)
      for (Index v : list[f].ring)
        if (!sources_.part(list[f].part).one_triangle_each && rounded_.maybe_non_manifold[v] && !separated_.fixed[v] && !at_triangle[v]) corners.push_back({v, f});
    std::sort(corners.begin(), corners.end());
    for (std::size_t i = 0; i < corners.size();) {
      std::size_t j = i;
      while (j < corners.size() && corners[j].vertex == corners[i].vertex) ++j;
      if (j - i == 2 && corners[i].face != corners[i + 1].face)
        take_out(corners[i].vertex, corners[i].face, corners[i + 1].face, tolerance);
      i = j;
    }
  }

  /// Takes back what straightening has done since it was last asked for.
  void bend_again() {
    for (auto& [f, ring] : bent_) list[f].ring = std::move(ring), list[f].cut.clear();
    bent_.clear();
  }

  /// Do the faces come out sound when they are cut into triangles again? Remembers which do not. Asked again, it looks only at what is not as it was.
  /// @param moved_too  look at all that has a moved point, not only at what is cut in another way than before
  bool is_sound(bool moved_too, const Control& control) {
    cut_into_triangles();
    bad_.assign(list.size(), 0);
    const std::vector<char> differs = differs_from_last_look();
    if (looks_ == 0) singles_to_look_at_.assign(rounded_.triangles.size(), 0);
    for (std::size_t k = 0; k < triangles.size(); ++k)
      if (looks_ == 0 ? has_moved(rounded_.triangles[triangles[k]], moved_too) : k >= singles_seen_) singles_to_look_at_[triangles[k]] = 1;
    const bool again = looks_ > 0;
    Look look = look_at(moved_too, differs, again);
    std::vector<char> invalid;
    if (!look.triangles.empty()) {
      std::vector<char> non_manifold_edges, turned;
      tbb::parallel_invoke(
          [&] { invalid = find_invalid_triangles(rounded_.points, look.at_places, look.piece, look.suspect, Across::no, control); },
          [&] {
            non_manifold_edges = on_non_manifold_edges(look.triangles, look.suspect);
            if (!again) turned = turned_shells(look);
          });
      if (invalid.empty()) invalid.assign(look.triangles.size(), 0);
      for (std::size_t i = 0; i < non_manifold_edges.size(); ++i) invalid[i] = invalid[i] || non_manifold_edges[i];
      if (std::find(invalid.begin(), invalid.end(), 1) == invalid.end()) invalid = std::move(turned);
    }
    if (again && invalid.empty()) {  // a shell may reach beyond what is looked at again
      look = look_at(moved_too, differs, false);
      invalid = turned_shells(look);
    }
    remember_look();
    if (invalid.empty()) return true;
    bool sound = true;
    for (std::size_t i = 0; i < look.triangles.size(); ++i) {
      if (look.face[i] == no_index)
        singles_to_look_at_[look.single[i]] = invalid[i];
      else if (invalid[i] && look.doubtful[i])
        bad_[look.face[i]] = 1, seen_[look.face[i]].bad = true, sound = false;
    }
    return sound && !moved_too;
  }
  bool any_bad() const { return std::find(bad_.begin(), bad_.end(), 1) != bad_.end(); }

  /// Puts the triangles of those faces back. Where a large polygon and a small one are in each other's way, the small one goes
  /// first: the large one may do without it.
  void put_back() {
    std::size_t largest = 0, smallest = ~std::size_t{0}, kept = 0;
    for (std::size_t f = 0; f < list.size(); ++f)
      if (bad_[f]) largest = std::max(largest, list[f].ring.size()), smallest = std::min(smallest, list[f].ring.size());
    const std::size_t most = 2 * smallest <= largest ? largest / 2 : largest;
    for (std::size_t f = 0; f < list.size(); ++f) {
      if (bad_[f] && list[f].ring.size() <= most)
        triangles.insert(triangles.end(), list[f].triangles.begin(), list[f].triangles.end());
      else if (kept++ != f)
        list[kept - 1] = std::move(list[f]);
    }
    list.resize(kept);
  }

  std::size_t untouched_polygons = 0;

 private:
  /// Do triangles of a list, in any order, have the very corners of others?
  static bool same_triangles(std::span<const Triangle> list, std::span<const Index> these, std::span<const Triangle> now) {
    if (now.size() != these.size()) return false;
    auto sorted = [](Triangle t) {
      std::sort(t.begin(), t.end());
      return t;
    };
    return std::all_of(now.begin(), now.end(), [&](const Triangle& t) {
      return std::any_of(these.begin(), these.end(), [&](Index old) { return sorted(list[old]) == sorted(t); });
    });
  }
  bool has_moved(const Triangle& t, bool moved_too) const { return moved_too && (rounded_.moved[t[0]] || rounded_.moved[t[1]] || rounded_.moved[t[2]]); }

  void cut_into_triangles() {
    tbb::parallel_for(tbb::blocked_range<std::size_t>(0, list.size(), 64), [&](const auto& range) {
      for (std::size_t f = range.begin(); f < range.end(); ++f) {
        JoinedFace& face = list[f];
        if (!face.cut.empty()) continue;
        face.cut = triangulate(rounded_.points, face.ring);
        face.cut_as_before = (face.whole && face.ring.size() == 4) || same_triangles(rounded_.triangles, face.triangles, face.cut);
      }
    });
  }

  /// Triangles of faces and faces of one triangle, side by side.
  struct Look {
    std::vector<Triangle> triangles, at_places;  ///< corners that were doubled where the result touches itself stand at one place
    std::vector<Index> face, single, piece;      ///< of each, which of the list it is cut from or, where none, which of the rounded result it is
    std::vector<char> doubtful, suspect;         ///< it is not known to be sound by itself; and that has not been looked at
  };
  /// @param differs  of each face of the list, as differs_from_last_look()
  /// @param near     only what is near suspects; else all in the bounds of what is doubtful. Empty when there is neither
  Look look_at(bool moved_too, const std::vector<char>& differs, bool near) const {
    const auto is_doubtful = [&](const JoinedFace& face, const Triangle& t) { return !face.cut_as_before || has_moved(t, moved_too); };
    const auto is_suspect = [&](std::size_t f, const Triangle& t) { return looks_ == 0 ? is_doubtful(list[f], t) : differs[f] != 0; };
    std::vector<Box3> boxes;
    for (std::size_t f = 0; f < list.size(); ++f)
      for (const Triangle& t : list[f].cut)
        if (is_suspect(f, t) || (!near && is_doubtful(list[f], t))) boxes.push_back(box_of(rounded_.points, t));
    for (Index t : triangles)
      if (singles_to_look_at_[t] || (!near && has_moved(rounded_.triangles[t], moved_too))) boxes.push_back(box_of(rounded_.points, rounded_.triangles[t]));
    if (!near) {
      Box3 all;
      for (const Box3& box : boxes) all.add(box);
      boxes = {all};
    }
    const BoxCover around(std::move(boxes));
    Look look;
    if (around.empty()) return look;
    const auto add = [&](const Triangle& t, Index face, Index single, bool doubtful, bool suspect) {
      if (!around.may_overlap(box_of(rounded_.points, t))) return;
      look.triangles.push_back(t);
      look.at_places.push_back({separated_.place[t[0]], separated_.place[t[1]], separated_.place[t[2]]});
      look.face.push_back(face);
      look.single.push_back(single);
      look.piece.push_back(rounded_.provenance[face == no_index ? single : list[face].triangles[0]].piece);
      look.doubtful.push_back(doubtful);
      look.suspect.push_back(suspect);
    };
    for (Index f = 0; f < list.size(); ++f)
      for (const Triangle& t : list[f].cut) add(t, f, no_index, is_doubtful(list[f], t), is_suspect(f, t));
    for (Index t : triangles) add(rounded_.triangles[t], no_index, t, has_moved(rounded_.triangles[t], moved_too), singles_to_look_at_[t]);
    return look;
  }
  /// Shells of a few units in the last place are turned inside out by taking one vertex out of an edge.
  std::vector<char> turned_shells(const Look& look) const {
    std::vector<char> moved(look.triangles.size(), 0), changed(rounded_.points.size(), 0);
    for (std::size_t i = 0; i < look.triangles.size(); ++i)
      for (Index v : look.at_places[i]) {
        if (rounded_.moved[v]) moved[i] = 1;
        if (look.doubtful[i] || look.suspect[i]) changed[v] = 1;
      }
    return in_turned_shells(rounded_.points, look.at_places, look.piece, moved, changed);
  }
  /// Triangles at an edge with more than two of them: an edge inside one polygon may join the same two vertices as
  /// another edge does.
  std::vector<char> on_non_manifold_edges(const std::vector<Triangle>& all, const std::vector<char>& suspect) const {
    std::vector<char> near(rounded_.points.size(), 0), non_manifold_edges(all.size(), 0);
    for (std::size_t i = 0; i < all.size(); ++i)
      if (suspect[i])
        for (Index v : all[i]) near[v] = 1;
    struct Use {
      Index lo, hi, triangle;
      bool operator<(const Use& o) const { return std::tie(lo, hi, triangle) < std::tie(o.lo, o.hi, o.triangle); }
    };
    std::vector<Use> uses;
    for (Index i = 0; i < all.size(); ++i)
      for (std::size_t k = 0; k < 3; ++k) {
        const Index a = all[i][k], b = all[i][(k + 1) % 3];
        if (near[a] && near[b]) uses.push_back({std::min(a, b), std::max(a, b), i});
      }
    sort_by_bucket(uses, rounded_.points.size(), [](const Use& use) { return use.lo; });
    for (std::size_t i = 0; i < uses.size();) {
      std::size_t j = i;
      while (j < uses.size() && uses[j].lo == uses[i].lo && uses[j].hi == uses[i].hi) ++j;
      for (std::size_t k = i; k < j && j - i > 2; ++k) non_manifold_edges[uses[k].triangle] = 1;
      i = j;
    }
    return non_manifold_edges;
  }

  /// The same first corner as in the source: how a polygon that is not flat is cut into triangles depends on it.
  void begin_as_before(JoinedFace& face) const {
    const Prepared& p = sources_.part(face.part);
    const Index f = p.face[face.source.first - sources_.begin(face.part)];
    if (f == no_index) return;
    const Vec3& first = p.points[p.first_corner[f]];
    const auto it = std::find_if(face.ring.begin(), face.ring.end(), [&](Index v) { return rounded_.points[v] == first; });
    if (it == face.ring.end() || it == face.ring.begin()) return;
    std::rotate(face.ring.begin(), it, face.ring.end());
    face.cut.clear();
  }

  void take_out(Index v, Index of_f, Index of_g, double tolerance) {
    JoinedFace &f = list[of_f], &g = list[of_g];
    if (f.ring.size() < 4 || g.ring.size() < 4) return;
    auto neighbours = [&](const JoinedFace& face) {
      const auto at = static_cast<std::size_t>(std::find(face.ring.begin(), face.ring.end(), v) - face.ring.begin());
      const std::size_t n = face.ring.size();
      return std::pair(face.ring[(at + n - 1) % n], face.ring[(at + 1) % n]);
    };
    const auto [a, b] = neighbours(f);
    const auto [c, d] = neighbours(g);
    if (a != d || b != c) return;
    const Vec3 &p = rounded_.points[a], &q = rounded_.points[b], &x = rounded_.points[v];
    const double length = (q - p).norm(), share = (x - p).dot(q - p) / (length * length);
    if (!(share > 0 && share < 1) || (p + share * (q - p) - x).norm() > tolerance) return;
    if (sources_.has_corner(f.part, f.source, x) || sources_.has_corner(g.part, g.source, x)) return;
    for (const Index face : {of_f, of_g}) {
      bent_.try_emplace(face, list[face].ring);
      std::erase(list[face].ring, v);
      list[face].cut.clear();
    }
    if (scored.erase(std::minmax({a, v})) + scored.erase(std::minmax({v, b})) > 0) scored.insert(std::minmax({a, b}));
  }

  /// Of each face: is it not as it was when it was looked at last, or was it bad then?
  std::vector<char> differs_from_last_look() const {
    std::vector<char> differs(list.size(), 1);
    // Faces only ever leave the list: what is left of it is in the same order.
    std::size_t f = 0;
    for (const Seen& seen : seen_) {
      if (f == list.size()) break;
      if (list[f].triangles.front() != seen.first) continue;
      differs[f] = seen.bad || list[f].ring != seen.ring;
      ++f;
    }
    return differs;
  }
  void remember_look() {
    ++looks_;
    singles_seen_ = triangles.size();
    std::fill(singles_to_look_at_.begin(), singles_to_look_at_.end(), 0);
    seen_.clear();
    for (const JoinedFace& face : list) seen_.push_back({face.triangles.front(), face.ring, false});
  }

  struct Seen {
    Index first;  ///< triangle of the rounded result
    std::vector<Index> ring;
    bool bad;
  };

  const Rounded& rounded_;
  const Separated& separated_;
  const Sources& sources_;
  std::map<Index, std::vector<Index>> bent_;  ///< faces that were straightened, as they were before
  std::vector<char> bad_;                ///< of each face, by the last look
  int looks_ = 0;
  std::vector<Seen> seen_;               ///< by the last look
  std::size_t singles_seen_ = 0;         ///< so many of `triangles` were there at the last look
  std::vector<char> singles_to_look_at_;  ///< by triangle of the rounded result
};

/// A middle that was put into a contact edge need not lie on it to the last bit.
void check_middles(const Rounded& rounded, const Separated& separated, const Control& control) {
  std::vector<char> suspect(rounded.triangles.size(), 0);
  std::vector<Triangle> triangles = rounded.triangles;
  std::vector<Index> piece;
  bool any = false;
  for (std::size_t i = 0; i < triangles.size(); ++i) {
    piece.push_back(rounded.provenance[i].piece);
    for (Index& v : triangles[i]) {
      if (separated.fixed[v]) suspect[i] = 1, any = true;
      v = separated.place[v];
    }
  }
  if (any && !find_invalid_triangles(rounded.points, triangles, piece, suspect, Across::no, control).empty())
    throw Contradiction("a contact edge has no middle");
}

/// Takes out whole shells that are nothing but thin sheets, which rounding or contact has left; those at the seam of untouched
/// triangles stay. @return how many
std::size_t drop_thin_shells(Rounded& rounded, double thinnest, const Control& control) {
  if (thinnest <= 0) return 0;
  UnionFind sets(rounded.points.size());
  for (const auto& [a, b, c] : rounded.triangles) sets.unite(a, b), sets.unite(b, c);
  struct Shell {
    const Vec3* origin = nullptr;
    std::vector<LayerFace> faces = {};
  };
  std::map<Index, Shell> shells;
  {
    std::vector<Index> shell_of;
    std::vector<std::pair<Shell, Enclosed>> all(sets.number(shell_of));
    for (const Triangle& t : rounded.triangles) {
      auto& [shell, enclosed] = all[shell_of[t[0]]];
      const Vec3 &a = rounded.points[t[0]], &b = rounded.points[t[1]], &c = rounded.points[t[2]];
      if (shell.origin == nullptr) shell.origin = &a;
      enclosed.add(*shell.origin, a, b, c);
    }
    rounded.seam.for_each_end([&](Index v, Index) { all[shell_of[v]].first.origin = nullptr; });
    for (Index v = 0; v < shell_of.size(); ++v)
      if (const auto& [shell, enclosed] = all[shell_of[v]]; sets.find(v) == v && shell.origin != nullptr && enclosed.thinner_than(thinnest)) shells.emplace(v, shell);
  }
  if (shells.empty()) return 0;
  auto shell_of = [&](const Triangle& t) { return shells.find(sets.find(t[0])); };
  for (const Triangle& t : rounded.triangles)
    if (const auto it = shell_of(t); it != shells.end())
      it->second.faces.push_back({rounded.points[t[0]], rounded.points[t[1]], rounded.points[t[2]]});
  std::erase_if(shells, [&](const auto& item) { return !is_layer(item.second.faces, thinnest, control); });
  std::size_t kept = 0;
  for (std::size_t i = 0; i < rounded.triangles.size(); ++i) {
    if (shell_of(rounded.triangles[i]) != shells.end()) continue;
    rounded.triangles[kept] = rounded.triangles[i];
    rounded.provenance[kept++] = rounded.provenance[i];
  }
  rounded.triangles.resize(kept);
  rounded.provenance.resize(kept);
  return shells.size();
}

}  // namespace

bool assemble(const std::vector<PreparedPtr>& parts, const std::vector<const Operand*>& operands, Rounded rounded,
              const AssemblySettings& settings, BooleanResult& result, const Control& control) {
  Index pieces = 1;
  for (const FaceProvenance& t : rounded.provenance) pieces = std::max(pieces, t.piece + 1);
  if (pieces > 1) rounded.maybe_non_manifold.assign(rounded.points.size(), 1);
  const Separated separated = separate_wedges(rounded);
  const std::string& name = operands.front()->name;
  if (const std::size_t dropped = drop_thin_shells(rounded, settings.thinnest, control); dropped > 0)
    result.report.tell(skins_dissolved, dropped, name);
  if (settings.how != Assembly::anyhow) check_middles(rounded, separated, control);
  if (const auto& middles = separated.middles; !middles.empty()) {
    const std::size_t shown = std::min(middles.size(), OperationReport::max_places);
    result.report.tell(contact_edges, middles.size(), name, {middles.begin(), middles.begin() + static_cast<std::ptrdiff_t>(shown)});
  }
  check_stop(control);

  double extent = 0;
  for (const PreparedPtr& p : parts) extent = std::max({extent, p->box.lo.cwiseAbs().maxCoeff(), p->box.hi.cwiseAbs().maxCoeff()});
  const double rounding = std::ldexp(extent, -46);
  const Sources sources(parts, rounding);
  JoinedFaces faces(rounded, separated, sources);
  const bool unproven = settings.how == Assembly::unproven;
  faces.join(settings.how == Assembly::polygons || unproven);
  check_stop(control);
  // What does not come out sound goes back to the triangles it was made of. Straightening changes both sides of an
  // edge, so it starts anew each time, and is given up before joining is.
  for (int round = 0;; ++round) {
    const auto scored = faces.scored;
    if (round < 3) faces.straighten(std::max(settings.tolerance, rounding));
    if (faces.is_sound(unproven, control)) break;
    if (unproven && (round == 3 || !faces.any_bad())) return false;
    faces.bend_again();
    faces.scored = scored;
    faces.put_back();
  }
  std::vector<OutFace> out;
  out.reserve(faces.triangles.size() + faces.list.size());
  for (Index t : faces.triangles) out.push_back({rounded.triangles[t], t});
  for (const JoinedFace& face : faces.list) out.push_back({face.ring, face.triangles.front()});
  const std::size_t untouched = write_out(parts, rounded, separated.place, std::move(out), faces.scored, result);
  result.report.tell(polygons_untouched, faces.untouched_polygons + untouched, name);
  result.pieces = result.mesh.empty() ? 0 : pieces;
  return true;
}

}  // namespace anvil::boolean
