// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/shape/finish.h"

#include <fmt/format.h>

#include <algorithm>
#include <atomic>
#include <chrono>
#include <cmath>
#include <map>
#include <numbers>
#include <optional>

#include "core/mesh/bvh.h"
#include "core/mesh/nearest.h"
#include "core/mesh/triangulate.h"
#include "core/shape/heap.h"
#include "core/soundness/check.h"

namespace anvil {
namespace {

constexpr double pi = std::numbers::pi;
constexpr double flat_turn = 1e-4;  // radians: less is no edge
constexpr double grazing = 0.08;    // cosine: a plane so nearly along an edge cannot end its prism
constexpr double grazing_middle = 1e-3;  // the same of a plane between two edges, which only makes their prisms shorter
constexpr double longest_end = 40;  // times the width: how far beyond a vertex a prism may reach

Index previous_corner(const Mesh& mesh, Index face, Index corner) { return corner == mesh.face_offsets[face] ? mesh.face_offsets[face + 1] - 1 : corner - 1; }

/// An edge seen from one of its ends.
struct Spoke {
  Index edge;
  Vec3 way;      // from the vertex along the edge, length 1
  bool chosen, convex;
  Vec3 after;    // normal of the face that follows counter-clockwise
};

/// What a chosen edge asks for. Left and right as seen from its first vertex to its second, from outside.
struct Prism {
  Vec3 way;
  Vec3 left, right;              // into the faces, across the edge, length 1
  Vec3 left_normal, right_normal;
  bool convex;
  double left_width = 0, right_width = 0;
};

/// Points of a profile, from the left leg's end to the right one's.
struct ProfilePoint {
  std::array<double, 2> share;  // of the two legs
  bool is_corner = true;        // else it lies on the line between its neighbours
};
using Profile = std::vector<ProfilePoint>;

/// The ends of the legs where two prisms meet, or one ends, beside the vertex.
struct Section {
  Vec3 at;                  // the vertex
  std::vector<Vec3> points; // of the profile
};

/// A closed chain whose strip fits, for a finish that only edits the faces beside it.
struct LocalStrip {
  std::vector<std::array<Index, 2>> edges;  // from, to
  std::vector<Section> sections;            // at the beginning of each edge
};

class Finish {
 public:
  Finish(const Mesh& mesh, const EdgeTable& edges, std::span<const Index> list, const FinishSettings& settings, const Control& control)
      : mesh_(mesh), edges_(edges), settings_(settings), control_(control), chosen_(edges.size(), 0) {
    normals_.resize(mesh.face_count());
    for (Index f = 0; f < mesh.face_count(); ++f) normals_[f] = newell_normal(mesh.positions, mesh.face(f)).stableNormalized();
    for (Index e : list) chosen_[e] = 1;
    corner_at_.assign(mesh.positions.size(), no_index);
    for (Index c = 0; c < mesh.corners.size(); ++c) corner_at_[mesh.corners[c]] = c;
  }

  FinishVolumes run(std::span<const Index> list) {
    std::vector<char> done(edges_.size(), 0);
    for (Index e : list)
      if (!done[e] && !is_smooth_at(e, 0)) chain_from(e, 0, done);
    for (Index e : list)
      if (!done[e] && !is_smooth_at(e, 1)) chain_from(e, 1, done);
    for (Index e : list)
      if (!done[e]) chain_from(e, 0, done);
    // All widths stand before the first prism is made: prisms that meet know each other's.
    widths_.resize(edges_.size());
    for (const Chain& chain : chains_) give_widths(chain);
    for (const Chain& chain : chains_) build(chain.links, chain.closed);
    balls();
    return std::move(volumes_);
  }

  /// Closed chains that fit and lie on the faces beside them, after run(); how much their strips take away and add; and the edges of all other chains.
  struct Local {
    std::vector<LocalStrip> strips;
    double removed = 0, added = 0;
    std::vector<Index> rest;
  };
  const Local& local() const { return local_; }

 private:
  const Vec3& position(Index v) const { return mesh_.positions[v]; }

  // Around a vertex -----------------------------------------------------------------------------------------

  /// The edges at a vertex counter-clockwise, beginning with `edge`; those that lie in one plane with their neighbours are left out, but not `edge`. Empty where
  /// the faces there make no closed fan.
  std::vector<Spoke> spokes(Index v, Index edge) const {
    check_stop(control_);
    std::vector<Spoke> ring;
    const auto uses = edges_.corners_of(edge);
    Index corner = mesh_.corners[uses[0]] == v ? uses[0] : uses[1];
    if (mesh_.corners[corner] != v) return {};
    const Index first = corner;
    do {
      const Index e = edges_.corner_edge[corner];
      if (e == no_index) return {};
      const auto around = edges_.corners_of(e);
      if (around.size() != 2 || mesh_.corners[around[0]] == mesh_.corners[around[1]]) return {};
      const Index face = edges_.corner_face[corner], other = edges_.corner_face[around[0] == corner ? around[1] : around[0]];
      const Vec3 &n = normals_[face], &m = normals_[other];
      const Index w = mesh_.corners[next_corner(mesh_, face, corner)];
      const Vec3 way = (position(w) - position(v)).stableNormalized();
      // The face that follows lies to the left of the way out.
      const Vec3 turn = n.cross(m);
      if (e == edge || turn.norm() > flat_turn) ring.push_back({e, way, chosen_[e] != 0, turn.dot(way) > 0, n});
      // Over the edge that comes in to the next face.
      const Index in = previous_corner(mesh_, face, corner), next_edge = edges_.corner_edge[in];
      if (next_edge == no_index) return {};
      const auto beyond = edges_.corners_of(next_edge);
      if (beyond.size() != 2) return {};
      corner = beyond[0] == in ? beyond[1] : beyond[0];
      if (mesh_.corners[corner] != v || ring.size() > 100000) return {};
    } while (corner != first);
    return ring;
  }

  std::vector<Spoke> spokes_of(Index e, int end) const { return spokes(edges_.vertices[e][static_cast<std::size_t>(end)], e); }

  /// The other chosen edge at an end, where exactly two of one kind meet and go on in each other.
  std::optional<Index> next_at(Index e, int end) const {
    const std::vector<Spoke> ring = spokes_of(e, end);
    std::optional<Index> other;
    for (std::size_t k = 1; k < ring.size(); ++k) {
      if (!ring[k].chosen) continue;
      if (other || ring[k].convex != ring[0].convex) return std::nullopt;
      if (ring[k].way.dot(ring[0].way) > 0.98) return std::nullopt;  // turns back on itself
      other = ring[k].edge;
    }
    return other;
  }
  bool is_smooth_at(Index e, int end) const { return next_at(e, end).has_value(); }

  // Chains --------------------------------------------------------------------------------------------------

  struct Link {
    Index edge;
    Index from, to;
  };

  struct Chain {
    std::vector<Link> links;
    bool closed;
  };

  void chain_from(Index e, int start, std::vector<char>& done) {
    std::vector<Link> links;
    bool closed = false;
    Index at = edges_.vertices[e][static_cast<std::size_t>(start)];
    for (Index now = e;;) {
      const Index to = edges_.vertices[now][edges_.vertices[now][0] == at];
      links.push_back({now, at, to});
      done[now] = 1;
      const auto next = next_at(now, edges_.vertices[now][0] == to ? 0 : 1);
      if (!next || (done[*next] && *next != e)) break;
      if (*next == e) {
        closed = links.size() > 2 && links.front().from == to;
        break;
      }
      at = to;
      now = *next;
    }
    chains_.push_back({std::move(links), closed});
  }

  Prism prism_of(const Link& link) const {
    Prism p;
    p.way = (position(link.to) - position(link.from)).stableNormalized();
    const auto uses = edges_.corners_of(link.edge);
    const Index left = mesh_.corners[uses[0]] == link.from ? uses[0] : uses[1], right = left == uses[0] ? uses[1] : uses[0];
    p.left_normal = normals_[edges_.corner_face[left]];
    p.right_normal = normals_[edges_.corner_face[right]];
    p.left = p.left_normal.cross(p.way);
    p.right = p.way.cross(p.right_normal);
    p.convex = p.right.dot(p.left_normal) < 0;
    if (!widths_.empty()) {
      p.left_width = widths_[link.edge][left == uses[0] ? 0 : 1];
      p.right_width = widths_[link.edge][left == uses[0] ? 1 : 0];
    }
    return p;
  }

  static double corner_angle(const Prism& p) { return std::atan2(p.left.cross(p.right).norm(), p.left.dot(p.right)); }

  void give_widths(const Chain& chain) {
    std::vector<Prism> prisms;
    for (const Link& link : chain.links) prisms.push_back(prism_of(link));
    const auto is_flat = [&](const Vec3 Prism::*normal) {
      return std::all_of(prisms.begin(), prisms.end(), [&](const Prism& p) { return (p.*normal - prisms[0].*normal).norm() < flat_turn; });
    };
    const bool first_is_right = (prisms.size() > 1 && is_flat(&Prism::right_normal) && !is_flat(&Prism::left_normal)) != settings_.swapped;
    for (std::size_t k = 0; k < prisms.size(); ++k) {
      const double corner = corner_angle(prisms[k]);
      double first = settings_.width, second = first;
      if (settings_.round) {
        first = second = settings_.width / std::tan(corner / 2);
      } else if (settings_.angle > 0) {
        const double angle = std::min(settings_.angle * pi / 180, 0.98 * (pi - corner));
        second = first * std::sin(angle) / std::sin(pi - corner - angle);
      } else if (settings_.second_width > 0) {
        second = settings_.second_width;
      }
      // Across the corner: to the round's arc, or to the chamfer's line.
      const double across = settings_.round ? settings_.width * (1 / std::sin(corner / 2) - 1)
                                            : first * second * std::sin(corner) / std::sqrt(first * first + second * second - 2 * first * second * std::cos(corner));
      volumes_.thinnest = std::min(volumes_.thinnest, across);
      const Link& link = chain.links[k];
      const auto uses = edges_.corners_of(link.edge);
      const bool left_is_first_use = mesh_.corners[uses[0]] == link.from;
      // Per use of the edge: its face lies left where the use runs along the chain.
      widths_[link.edge] = left_is_first_use != first_is_right ? std::array<double, 2>{first, second} : std::array<double, 2>{second, first};
    }
  }

  Profile profile_of(const Prism& p) const {
    if (!settings_.round) return {{{1, 0}}, {{0, 1}}};
    Profile profile;
    const double corner = corner_angle(p), radius = settings_.width, leg = p.left_width;
    for (Index k = 0; k <= settings_.segments; ++k) {
      // On the circle that touches both legs at their ends; the left leg is the first axis.
      const double at = -pi / 2 - (pi - corner) * k / settings_.segments;
      const double x = leg + radius * std::cos(at), y = radius + radius * std::sin(at);
      const double right = y / std::sin(corner), left = x - right * std::cos(corner);
      profile.push_back({{left / leg, right / leg}});
    }
    profile.front().share = {1, 0};
    profile.back().share = {0, 1};
    return profile;
  }

  void build(const std::vector<Link>& links, bool closed) {
    off_faces_ = false;
    std::vector<Prism> prisms;
    for (const Link& link : links) prisms.push_back(prism_of(link));
    std::vector<Profile> profiles;
    for (const Prism& p : prisms) profiles.push_back(profile_of(p));
    const std::size_t count = links.size();
    // Where it ends: the planes there, and where along the profile one takes over from the other.
    const Ending begin = closed ? Ending{} : ending(links.front(), prisms.front(), true), end = closed ? Ending{} : ending(links.back(), prisms.back(), false);
    if (!closed) {
      std::vector<double> cuts = begin.cuts(prisms.front(), profiles.front());
      for (double cut : end.cuts(prisms.back(), profiles.back())) cuts.push_back(cut);
      std::sort(cuts.begin(), cuts.end());
      for (Profile& profile : profiles) profile = divided(profile, cuts);
    }
    // Section k lies at the beginning of link k; one more at the end of an open chain.
    std::vector<Section> sections;
    for (std::size_t k = 0; k < count; ++k) {
      const std::size_t before = k > 0 ? k - 1 : count - 1;
      if (k == 0 && !closed)
        sections.push_back(end_section(position(links[0].from), prisms[0], profiles[0], begin, true));
      else
        sections.push_back(joint(links[k].from, links[before], prisms[before], profiles[before], links[k], prisms[k], profiles[k]));
    }
    if (!closed) sections.push_back(end_section(position(links.back().to), prisms.back(), profiles.back(), end, false));
    const auto section_behind = [&](std::size_t k) -> const Section& { return sections[(k + 1) % sections.size()]; };
    bool fits = true;
    for (std::size_t k = 0; k < count; ++k) {
      fits = fits && runs_forward(prisms[k], sections[k], section_behind(k));
      note_room(prisms[k], sections[k], section_behind(k), position(links[k].from), position(links[k].to));
    }
    Mesh& mesh = prisms[0].convex ? volumes_.removed : volumes_.added;
    if (fits && closed && !off_faces_) {
      LocalStrip strip;
      for (const Link& link : links) strip.edges.push_back({link.from, link.to});
      strip.sections = sections;
      local_.strips.push_back(std::move(strip));
      Mesh alone;
      add_strip(alone, prisms, profiles[0], sections, closed);
      (prisms[0].convex ? local_.removed : local_.added) += signed_volume(alone);
    } else {
      for (const Link& link : links) local_.rest.push_back(link.edge);
    }
    if (fits)
      add_strip(mesh, prisms, profiles[0], sections, closed);
    else
      for (std::size_t k = 0; k < count; ++k) {
        const std::size_t before = k > 0 ? k - 1 : count - 1, after = k + 1 < count ? k + 1 : 0;
        const Section from = k == 0 && !closed ? sections[0] : section_in_plane(sections[k], prisms[before], prisms[k], prisms[k], profiles[k], true);
        const Section to = k + 1 == count && !closed ? sections[count] : section_in_plane(section_behind(k), prisms[k], prisms[after], prisms[k], profiles[k], false);
        add_piece(mesh, prisms[k], from, to);
      }
  }

  static bool runs_forward(const Prism& p, const Section& from, const Section& to) {
    if ((to.at - from.at).dot(p.way) <= 0) return false;
    for (std::size_t k = 0; k < from.points.size(); ++k)
      if ((to.points[k] - from.points[k]).dot(p.way) <= 0) return false;
    return true;
  }

  /// Strips lose as much of their length as they are wide, evenly.
  void note_room(const Prism& p, const Section& from, const Section& to, const Vec3& begin, const Vec3& end) {
    const double whole = (end - begin).dot(p.way);
    // Facets far shorter than the width go in the strip of their neighbours, and nobody misses them.
    if (whole < 0.1 * settings_.width) return;
    double least = (to.at - from.at).dot(p.way);
    for (std::size_t k = 0; k < from.points.size(); ++k) least = std::min(least, (to.points[k] - from.points[k]).dot(p.way));
    if (least < whole * (1 - 1e-9)) volumes_.fits = std::min(volumes_.fits, settings_.width * whole / (whole - least));
  }

  // Sections ------------------------------------------------------------------------------------------------

  static Vec3 across(const Prism& p, const ProfilePoint& point) { return point.share[0] * p.left_width * p.left + point.share[1] * p.right_width * p.right; }

  /// Where the legs of two prisms end that go on in each other, on one side of the chain.
  /// @param faces  normals of the faces that lie there between the two edges, one for each; `between` the edges that part these
  Vec3 shared_leg(const Vec3& leg, double width, const Vec3& next_leg, double next_width, const Vec3& normal, const std::vector<Vec3>& between, bool one_face) {
    const double middle = (width + next_width) / 2;
    if (one_face) {
      // The point of the face at the width from both edges.
      Eigen::Matrix3d rows;
      rows << leg.transpose(), next_leg.transpose(), normal.transpose();
      if (leg.cross(next_leg).norm() > 1e-7) return rows.inverse() * Vec3(width, next_width, 0);
      return middle * (leg + next_leg).stableNormalized();
    }
    if (between.size() == 1) {
      // Along the edge that parts the two faces.
      const Vec3& g = between[0];
      const double a = g.dot(leg), b = g.dot(next_leg);
      if (a > grazing && b > grazing) return (width / a + next_width / b) / 2 * g;
    }
    off_faces_ = true;
    const Vec3 sum = (leg + next_leg).stableNormalized();
    return middle / std::max(0.3, sum.dot(leg)) * sum;
  }

  Section joint(Index v, const Link& before, const Prism& p, const Profile& profile, const Link& after, const Prism& q, const Profile& next_profile) {
    // Counter-clockwise from the way on: what comes before the way back lies on the left.
    const std::vector<Spoke> ring = spokes(v, after.edge);
    std::vector<Vec3> left_between, right_between;
    bool behind = false;
    for (std::size_t k = 1; k < ring.size(); ++k) {
      if (ring[k].edge == before.edge)
        behind = true;
      else
        (behind ? right_between : left_between).push_back(ring[k].way);
    }
    const Vec3 left = shared_leg(p.left, p.left_width, q.left, q.left_width, q.left_normal, left_between, left_between.empty());
    const Vec3 right = shared_leg(p.right, p.right_width, q.right, q.right_width, q.right_normal, right_between, right_between.empty());
    Section section{position(v), {}};
    for (std::size_t k = 0; k < profile.size(); ++k)
      section.points.push_back(section.at + (profile[k].share[0] + next_profile[k].share[0]) / 2 * left + (profile[k].share[1] + next_profile[k].share[1]) / 2 * right);
    return section;
  }

  /// How a prism ends at a vertex: planes through it, the prism on their upper sides; or straight across at some distance.
  struct Ending {
    std::vector<Vec3> planes;  // normals
    Vec3 inwards = Vec3::Zero();  // along the prism
    bool united = false;          // on the upper side of any of them, instead of all
    double straight = 0;          // where there is no plane: so far in
    bool is_ball = false;

    /// How far along the prism a point across it ends.
    double at(const Vec3& off) const {
      if (planes.empty()) return straight;
      double end = united ? 1e300 : -1e300;
      for (const Vec3& n : planes) {
        const double t = -n.dot(off) / n.dot(inwards);
        end = united ? std::min(end, t) : std::max(end, t);
      }
      return end;
    }
    /// Where along the profile one plane takes over from another: pieces of it and shares, 1.5 is the middle of the second.
    std::vector<double> cuts(const Prism& p, const Profile& profile) const {
      std::vector<double> cuts;
      for (std::size_t k = 0; k + 1 < profile.size(); ++k) {
        const Vec3 a = across(p, profile[k]), b = across(p, profile[k + 1]);
        for (std::size_t i = 0; i < planes.size(); ++i)
          for (std::size_t j = i + 1; j < planes.size(); ++j) {
            const auto gap = [&](const Vec3& x) { return planes[i].dot(x) / planes[i].dot(inwards) - planes[j].dot(x) / planes[j].dot(inwards); };
            const double from = gap(a), to = gap(b);
            if (from * to >= 0) continue;
            const double share = from / (from - to);
            if (share > 1e-6 && share < 1 - 1e-6) cuts.push_back(static_cast<double>(k) + share);
          }
      }
      return cuts;
    }
  };

  /// With a point at each of the cuts, which are sorted.
  static Profile divided(const Profile& profile, const std::vector<double>& cuts) {
    Profile all;
    auto cut = cuts.begin();
    for (std::size_t k = 0; k < profile.size(); ++k) {
      all.push_back(profile[k]);
      for (; cut != cuts.end() && *cut < static_cast<double>(k + 1) && k + 1 < profile.size(); ++cut) {
        const double share = *cut - static_cast<double>(k);
        const auto &a = profile[k].share, &b = profile[k + 1].share;
        all.push_back({{(1 - share) * a[0] + share * b[0], (1 - share) * a[1] + share * b[1]}, false});
      }
    }
    return all;
  }

  Section end_section(const Vec3& at, const Prism& p, const Profile& profile, const Ending& ending, bool is_begin) const {
    Section section{at, {}};
    const Vec3 inwards = is_begin ? p.way : Vec3(-p.way);
    const double reach = longest_end * std::max(p.left_width, p.right_width);
    for (const ProfilePoint& point : profile) {
      const Vec3 off = across(p, point);
      section.points.push_back(section.at + off + std::max(ending.at(off), -reach) * inwards);
    }
    if (ending.planes.empty()) section.at += ending.straight * inwards;
    return section;
  }

  /// Where one piece of a chain that does not fit ends: in the plane of the joint's legs. The joint's own points may lie off the prism's legs, and what is cut off between
  /// two such ends does not get evenly shorter with the width.
  Section section_in_plane(const Section& joint, const Prism& before, const Prism& after, const Prism& p, const Profile& profile, bool is_begin) const {
    Vec3 normal = (joint.points.front() - joint.at).cross(joint.points.back() - joint.at).stableNormalized();
    Ending end;
    end.inwards = is_begin ? p.way : Vec3(-p.way);
    // Where that runs along one of the edges, the plane in the middle between them.
    if (std::min(std::abs(normal.dot(before.way)), std::abs(normal.dot(after.way))) < grazing) normal = (before.way + after.way).stableNormalized();
    end.planes = {normal.dot(end.inwards) < 0 ? Vec3(-normal) : normal};
    return end_section(joint.at, p, profile, end, is_begin);
  }

  /// The new face's normal: across both legs' ends.
  static Vec3 new_normal(const Prism& p) { return (p.right_width * p.right - p.left_width * p.left).cross(p.way); }

  /// A plane in which the prisms of two chosen edges at one vertex meet, that share a face; nothing where they lie in one line.
  std::optional<Vec3> meeting_plane(Index v, const Spoke& one, const Spoke& two, const Vec3& normal) const {
    const auto prism_out = [&](const Spoke& spoke) {
      const Index w = edges_.vertices[spoke.edge][edges_.vertices[spoke.edge][0] == v];
      return prism_of({spoke.edge, v, w});
    };
    const Prism p = prism_out(one), q = prism_out(two);
    // `two` follows `one` counter-clockwise, so the face between lies left of the first and right of the second.
    Eigen::Matrix3d rows;
    rows << p.left.transpose(), q.right.transpose(), normal.transpose();
    if (p.left.cross(q.right).norm() < 1e-6) return std::nullopt;
    const Vec3 corner = rows.inverse() * Vec3(p.left_width, q.right_width, 0);
    const Vec3 line = new_normal(p).cross(new_normal(q));
    const Vec3 plane = corner.cross(line);
    if (plane.norm() < 1e-9 * corner.norm() * std::max(line.norm(), 1e-300)) return std::nullopt;
    return plane.stableNormalized();
  }

  Ending ending(const Link& link, const Prism& p, bool is_begin) const {
    const Index v = is_begin ? link.from : link.to;
    Ending end;
    end.inwards = is_begin ? p.way : Vec3(-p.way);
    const std::vector<Spoke> ring = spokes(v, link.edge);
    const auto take = [&](Vec3 n, double least = grazing) {
      const double along = n.dot(end.inwards);
      if (std::abs(along) < least) return false;
      end.planes.push_back(along < 0 ? Vec3(-n) : n);
      return true;
    };
    const auto straight_across = [&] {
      end.planes = {end.inwards};
      end.united = false;
      return end;
    };
    if (ring.size() < 3) return straight_across();
    if (const auto ball = ball_at(v, ring)) {
      end.is_ball = true;
      end.straight = (*ball - position(v)).dot(end.inwards);
      return end;
    }
    const Spoke &left = ring[1], &right = ring.back();
    bool good = true;
    // Between edges less than a right angle apart the plane only makes both prisms shorter.
    const auto least_to = [&](const Spoke& beside) { return beside.way.dot(end.inwards) > 0 ? grazing_middle : grazing; };
    if (left.chosen)
      if (const auto plane = meeting_plane(v, ring[0], left, ring[0].after)) good = take(*plane, least_to(left)) && good;
    if (right.chosen)
      if (const auto plane = meeting_plane(v, right, ring[0], right.after)) good = take(*plane, least_to(right)) && good;
    if (!good) return straight_across();
    if (left.chosen && right.chosen) return end.planes.empty() ? straight_across() : end;
    // The edge goes on, nearly straight, unchosen.
    constexpr double goes_on = -0.64;
    for (const Spoke* beside : {&left, &right})
      if (!beside->chosen && beside->way.dot(end.inwards) < goes_on) return end.planes.empty() ? straight_across() : end;
    // The faces that stand there: ring[k].after lies between edges k and k + 1.
    const std::size_t from = left.chosen ? ring.size() - 2 : 1, to = right.chosen ? 2 : ring.size() - 1;
    for (std::size_t k = from; k < to; ++k)
      if (!take(ring[k].after)) return straight_across();
    if (end.planes.empty()) return straight_across();
    if (!left.chosen && !right.chosen && ring.size() > 3) end.united = ring[2].convex != left.convex;
    return end;
  }

  // Volumes -------------------------------------------------------------------------------------------------

  static bool is_flat(const Mesh& mesh, std::span<const Index> ring) {
    const Vec3 n = newell_normal(mesh.positions, ring);
    if (n.norm() == 0) return false;
    double size = 0, off = 0;
    for (Index v : ring) {
      const Vec3 away = mesh.positions[v] - mesh.positions[ring[0]];
      size = std::max(size, away.norm());
      off = std::max(off, std::abs(away.dot(n)) / n.norm());
    }
    return off <= 1e-11 * size;
  }

  /// Four points as one face where they lie in a plane, else as two.
  static void add_quad(Mesh& mesh, Index a, Index b, Index c, Index d) {
    const std::array<Index, 4> ring{a, b, c, d};
    if (is_flat(mesh, ring))
      mesh.add_face(ring);
    else
      mesh.add_face({a, b, c}), mesh.add_face({a, c, d});
  }

  /// The section's points as vertices: the edge's first, then the profile.
  static std::vector<Index> add_section(Mesh& mesh, const Section& section) {
    std::vector<Index> at{mesh.add_vertex(section.at)};
    for (const Vec3& p : section.points) at.push_back(mesh.add_vertex(p));
    return at;
  }

  static void turn_outwards(Mesh& mesh, std::size_t first_face, bool convex) {
    if (convex) return;
    for (std::size_t f = first_face; f < mesh.face_count(); ++f) std::reverse(mesh.corners.begin() + mesh.face_offsets[f], mesh.corners.begin() + mesh.face_offsets[f + 1]);
  }

  void add_strip(Mesh& mesh, const std::vector<Prism>& prisms, const Profile& profile, const std::vector<Section>& sections, bool closed) {
    const std::size_t first_face = mesh.face_count();
    std::vector<std::vector<Index>> at;
    for (const Section& section : sections) at.push_back(add_section(mesh, section));
    const std::size_t size = at[0].size();
    for (std::size_t k = 0; k < prisms.size(); ++k) {
      const std::vector<Index>&here = at[k], &next = at[(k + 1) % at.size()];
      // Along the way, with the left leg on the left: seen from outside of the prism.
      for (std::size_t j = 0; j < size;) {
        // Up to the next corner of the profile it is one face, where that is flat.
        std::size_t end = j + 1;
        while (end < size && !profile[end - 1].is_corner) ++end;
        std::vector<Index> ring{here[j]};
        for (std::size_t i = j; i <= end; ++i) ring.push_back(next[i % size]);
        for (std::size_t i = end; i > j; --i) ring.push_back(here[i % size]);
        if (ring.size() > 4 && is_flat(mesh, ring))
          mesh.add_face(ring);
        else
          for (std::size_t i = j; i < end; ++i) add_quad(mesh, here[i], next[i], next[(i + 1) % size], here[(i + 1) % size]);
        j = end;
      }
    }
    if (!closed)
      for (std::size_t j = 1; j + 1 < size; ++j) {
        mesh.add_face({at.front()[0], at.front()[j], at.front()[j + 1]});
        mesh.add_face({at.back()[0], at.back()[j + 1], at.back()[j]});
      }
    turn_outwards(mesh, first_face, prisms[0].convex);
  }

  /// One prism by itself; what of its section has no length any more is cut off, so that it ends in a point or an edge.
  void add_piece(Mesh& mesh, const Prism& p, const Section& from, const Section& to) {
    struct Line {
      Vec3 from, to;
      double length;
      bool is_point = false;
    };
    std::vector<Line> lines;
    const auto add_line = [&](const Vec3& a, const Vec3& b) { lines.push_back({a, b, (b - a).dot(p.way)}); };
    add_line(from.at, to.at);
    for (std::size_t k = 0; k < from.points.size(); ++k) add_line(from.points[k], to.points[k]);
    if (lines[0].length <= 0) return;
    // What is left of the section's ring. Ends are planes through the edge's own ends, so that lengths fall evenly along rays from there.
    std::vector<Line> left;
    const auto add_peak = [&](const Line& a, const Line& b) {
      const double share = a.length / (a.length - b.length);
      const Vec3 from_there = (1 - share) * a.from + share * b.from, to_there = (1 - share) * a.to + share * b.to;
      // The same point, unless the two ends do not lie straight across from each other.
      if ((to_there - from_there).norm() > 1e-7 * (b.from - a.from).norm())
        left.push_back({from_there, to_there, 0, false});
      else
        left.push_back({(from_there + to_there) / 2, to_there, 0, true});
    };
    for (std::size_t k = 0; k < lines.size(); ++k) {
      const Line &a = lines[k], &b = lines[(k + 1) % lines.size()];
      if (a.length > 0)
        left.push_back(a);
      else
        add_peak(lines[0], a);
      if (k > 0 && k + 1 < lines.size() && (a.length > 0) != (b.length > 0)) add_peak(a, b);
    }
    if (left.size() < 3) return;
    const std::size_t first_face = mesh.face_count();
    std::vector<std::array<Index, 2>> at;
    for (const Line& line : left) {
      const Index v = mesh.add_vertex(line.from);
      at.push_back({v, line.is_point ? v : mesh.add_vertex(line.to)});
    }
    const auto add = [&](Index a, Index b, Index c) {
      if (a != b && b != c && a != c) mesh.add_face({a, b, c});
    };
    for (std::size_t j = 0; j < at.size(); ++j) {
      const auto &a = at[j], &b = at[(j + 1) % at.size()];
      if (a[0] != a[1] && b[0] != b[1]) {
        add_quad(mesh, a[0], a[1], b[1], b[0]);
      } else {
        add(a[0], a[1], b[1]);
        add(a[0], b[1], b[0]);
      }
    }
    for (std::size_t j = 1; j + 1 < at.size(); ++j) {
      add(at[0][0], at[j][0], at[j + 1][0]);
      add(at[0][1], at[j + 1][1], at[j][1]);
    }
    turn_outwards(mesh, first_face, p.convex);
  }

  // Balls where three rounds meet -----------------------------------------------------------------------------

  /// The centre of the ball that touches three faces, where all three edges at a vertex are chosen and of one kind.
  std::optional<Vec3> ball_at(Index v, const std::vector<Spoke>& ring) const {
    if (!settings_.round || ring.size() != 3) return std::nullopt;
    for (const Spoke& spoke : ring)
      if (!spoke.chosen || spoke.convex != ring[0].convex) return std::nullopt;
    Eigen::Matrix3d rows;
    rows << ring[0].after.transpose(), ring[1].after.transpose(), ring[2].after.transpose();
    if (std::abs(rows.determinant()) < 1e-3) return std::nullopt;
    const Vec3 centre = rows.inverse() * Vec3::Constant(ring[0].convex ? -settings_.width : settings_.width);
    for (const Spoke& spoke : ring)
      if (centre.dot(spoke.way) <= 0) return std::nullopt;
    return position(v) + centre;
  }

  void balls() {
    for (Index v = 0; v < mesh_.positions.size(); ++v) {
      if (!settings_.round || corner_at_[v] == no_index) continue;
      const Index e = chosen_at(v);
      if (e == no_index) continue;
      const std::vector<Spoke> ring = spokes(v, e);
      if (const auto centre = ball_at(v, ring)) add_ball(v, ring, *centre);
    }
  }

  Index chosen_at(Index v) const {
    const Index c = corner_at_[v], out = edges_.corner_edge[c];
    if (out == no_index) return no_index;
    for (const Spoke& spoke : spokes(v, out))
      if (spoke.chosen) return spoke.edge;
    return no_index;
  }

  /// What lies between the vertex and the ball, up to the planes across the edges through its centre.
  void add_ball(Index v, const std::vector<Spoke>& ring, const Vec3& centre) {
    const bool convex = ring[0].convex;
    const double radius = settings_.width;
    Mesh& mesh = convex ? volumes_.removed : volumes_.added;
    const std::size_t first_face = mesh.face_count();
    const Index apex = mesh.add_vertex(position(v));
    std::array<Index, 3> on_edge{};
    std::array<Vec3, 3> touch;  // of the face behind edge k: between edges k and k + 1
    for (std::size_t k = 0; k < 3; ++k) {
      on_edge[k] = mesh.add_vertex(position(v) + (centre - position(v)).dot(ring[k].way) * ring[k].way);
      touch[k] = centre + (convex ? radius : -radius) * ring[k].after;
    }
    // The patch of the ball: rows of points from touch[0] to the arc between the two others.
    const Index n = settings_.segments;
    const auto arc = [&](const Vec3& a, const Vec3& b, double share) {
      const Vec3 u = (a - centre) / radius, w = (b - centre) / radius;
      const double angle = std::atan2(u.cross(w).norm(), u.dot(w));
      if (angle < 1e-9) return a;
      return Vec3(centre + radius / std::sin(angle) * (std::sin((1 - share) * angle) * u + std::sin(share * angle) * w));
    };
    std::vector<std::vector<Index>> rows;
    for (Index i = 0; i <= n; ++i) {
      rows.emplace_back();
      for (Index j = 0; j <= i; ++j) {
        const double a = 1 - static_cast<double>(i) / n, c = static_cast<double>(j) / n, b = 1 - a - c;
        Vec3 p;
        if (i == 0)
          p = touch[0];
        else if (j == 0)
          p = arc(touch[0], touch[1], static_cast<double>(i) / n);
        else if (j == i)
          p = arc(touch[0], touch[2], static_cast<double>(i) / n);
        else if (i == n)
          p = arc(touch[1], touch[2], static_cast<double>(j) / n);
        else
          p = centre + radius * (a * (touch[0] - centre) + b * (touch[1] - centre) + c * (touch[2] - centre)).normalized();
        rows.back().push_back(mesh.add_vertex(p));
      }
    }
    // Edge k has touch[k − 1] on its right and touch[k] on its left. touch[0] → touch[1] runs along edge 1, touch[1] → touch[2] along edge 2.
    std::vector<Index> along_1, along_2, along_0;
    for (Index i = 0; i <= n; ++i) {
      along_1.push_back(rows[i].front());
      along_2.push_back(rows[n][i]);
      along_0.push_back(rows[n - i].back());  // from touch[2] to touch[0]
    }
    const std::array<Index, 3> corner{rows[0][0], rows[n].front(), rows[n].back()};
    const std::array<const std::vector<Index>*, 3> arcs{&along_0, &along_1, &along_2};
    for (std::size_t k = 0; k < 3; ++k) {
      // Face k, between edges k and k + 1, seen from outside: counter-clockwise from edge k to edge k + 1.
      add_quad(mesh, apex, on_edge[k], corner[k], on_edge[(k + 1) % 3]);
      const std::vector<Index>& line = *arcs[k];
      for (std::size_t j = 0; j + 1 < line.size(); ++j) mesh.add_face({on_edge[k], line[j], line[j + 1]});
    }
    for (Index i = 0; i < n; ++i)
      for (Index j = 0; j <= i; ++j) {
        mesh.add_face({rows[i][j], rows[i + 1][j + 1], rows[i + 1][j]});
        if (j < i) mesh.add_face({rows[i][j], rows[i][j + 1], rows[i + 1][j + 1]});
      }
    turn_outwards(mesh, first_face, convex);
  }

  const Mesh& mesh_;
  const EdgeTable& edges_;
  const FinishSettings& settings_;
  const Control& control_;
  std::vector<char> chosen_;
  std::vector<Vec3> normals_;
  std::vector<Index> corner_at_;
  std::vector<Chain> chains_;
  std::vector<std::array<double, 2>> widths_;  // per edge, on the faces of its two uses
  FinishVolumes volumes_;
  bool off_faces_ = false;  // a section of the chain that is being built does not lie on the faces beside it
  Local local_;
};

/// Does a vertex lie nearer than the tolerance to a face that has it not?
bool comes_near(const Mesh& mesh, std::span<const Index> vertices, double tolerance, const std::stop_token& stop) {
  const TriangleList all = triangulate(mesh);
  std::vector<Triangle> things;
  std::vector<Index> groups(vertices.size(), 0);
  for (Index v : vertices) things.push_back({v, v, v});
  things.insert(things.end(), all.triangles.begin(), all.triangles.end());
  groups.resize(things.size(), 1);
  std::atomic<bool> near = false;
  Bvh(mesh.positions, things, tolerance, groups)
      .for_each_pair(
          [&](Index i, Index j) {
            const Vec3& p = mesh.positions[things[std::min(i, j)][0]];
            const auto& [a, b, c] = things[std::max(i, j)];
            const Index v = things[std::min(i, j)][0];
            if (v == a || v == b || v == c || near) return;
            const auto& at = mesh.positions;
            if ((nearest_on_triangle(p, at[a], at[b], at[c]) - p).norm() <= tolerance) near = true;
          },
          stop);
  return near;
}

/// Where closed chains fit, the faces beside them move back and the strips go in between. Taken only if the result is sound, has just the volume that the prisms say, and comes
/// nowhere near itself; else nothing, and the engine has to do it.
struct LocallyFinished {
  BooleanResult result;
  std::vector<Index> vertex;  // per vertex of the part, its number in the result; no_index where it is gone
};
std::optional<LocallyFinished> finished_locally(const Workpiece& part, const EdgeTable& edges, const Finish::Local& local, double contact, const Control& control) {
  const Mesh& mesh = *part.mesh;
  const double before = signed_volume(mesh);
  // Corners at each vertex of a chain that lie on its left, by walking from the edge that goes on to the one that came.
  std::vector<Index> moved(mesh.corners.size(), no_index);
  LocallyFinished finished;
  BooleanResult& result = finished.result;
  Mesh& made = result.mesh;
  made.positions = mesh.positions;
  std::vector<char> taken(mesh.positions.size(), 0);
  std::vector<Index> new_vertices;
  std::vector<std::vector<Index>> rings;
  for (const LocalStrip& strip : local.strips) {
    const std::size_t count = strip.edges.size();
    std::vector<std::vector<Index>> at;
    for (const Section& section : strip.sections) {
      at.emplace_back();
      for (const Vec3& p : section.points) at.back().push_back(made.add_vertex(p)), new_vertices.push_back(at.back().back());
    }
    for (std::size_t k = 0; k < count; ++k) {
      const Index v = strip.edges[k][0], next = strip.edges[k][1], last = strip.edges[(k + count - 1) % count][0];
      if (std::exchange(taken[v], 1)) return std::nullopt;
      // The corner of the left face from which the way goes on.
      const Index e = [&] {
        const auto it = std::lower_bound(edges.vertices.begin(), edges.vertices.end(), std::array<Index, 2>{std::min(v, next), std::max(v, next)});
        return static_cast<Index>(it - edges.vertices.begin());
      }();
      const auto uses = edges.corners_of(e);
      const Index first = mesh.corners[uses[0]] == v ? uses[0] : uses[1];
      bool left = true;
      Index corner = first;
      do {
        moved[corner] = left ? at[k].front() : at[k].back();
        const Index face = edges.corner_face[corner], in = previous_corner(mesh, face, corner);
        if (mesh.corners[in] == last) left = false;
        const auto beyond = edges.corners_of(edges.corner_edge[in]);
        corner = beyond[0] == in ? beyond[1] : beyond[0];
      } while (corner != first);
      if (left) return std::nullopt;
      const std::vector<Index>&here = at[k], &there = at[(k + 1) % count];
      for (std::size_t j = 0; j + 1 < here.size(); ++j) rings.push_back({there[j], here[j], here[j + 1], there[j + 1]});
    }
  }
  for (Index f = 0; f < mesh.face_count(); ++f) {
    std::vector<Index> ring;
    for (Index c = mesh.face_offsets[f]; c < mesh.face_offsets[f + 1]; ++c) ring.push_back(moved[c] == no_index ? mesh.corners[c] : moved[c]);
    made.add_face(ring);
    result.sources.add(0, f);
  }
  for (const std::vector<Index>& ring : rings) {
    made.add_face(ring);
    result.sources.add(0, no_index);
    result.fresh_edges.push_back({ring[0], ring[1]});
    result.fresh_edges.push_back({ring[2], ring[3]});
  }
  // Vertices that no face has any more go.
  std::vector<Index> number(made.positions.size(), no_index);
  std::vector<Vec3> kept;
  for (Index& v : made.corners) {
    if (number[v] == no_index) number[v] = static_cast<Index>(kept.size()), kept.push_back(made.positions[v]);
    v = number[v];
  }
  for (auto& edge : result.fresh_edges) edge = {std::min(number[edge[0]], number[edge[1]]), std::max(number[edge[0]], number[edge[1]])};
  std::sort(result.fresh_edges.begin(), result.fresh_edges.end());
  result.fresh_edges.erase(std::unique(result.fresh_edges.begin(), result.fresh_edges.end()), result.fresh_edges.end());
  for (Index& v : new_vertices) v = number[v];
  made.positions = std::move(kept);
  const double expected = before - local.removed + local.added, after = signed_volume(made);
  if (std::abs(after - expected) > 1e-10 * std::abs(before) + 1e-7 * (local.removed + local.added)) return std::nullopt;
  if (comes_near(made, new_vertices, contact, control.stop) || !is_sound(made, {}, 1, control.stop)) return std::nullopt;
  result.free_of_crossings = true;
  result.piece.assign(made.face_count(), 0);
  const std::array<const Mesh*, 1> from{part.mesh.get()};
  carry_slots(from, result.sources, made);
  number.resize(mesh.positions.size());
  finished.vertex = std::move(number);
  return finished;
}

Result<BooleanResult> finished(const Workpiece& part, const EdgeTable& edges, std::span<const Index> list, const FinishSettings& settings, const Control& control);

/// The edges of the other chains finished on what the closed ones came to. Nothing where one of them is not there any more.
std::optional<Result<BooleanResult>> finish_rest(const Workpiece& part, LocallyFinished& first, const EdgeTable& edges, std::span<const Index> rest, const FinishSettings& settings, const Control& control) {
  const auto mesh = std::make_shared<const Mesh>(std::move(first.result.mesh));
  const EdgeTable now = build_edges(*mesh);
  std::vector<Index> list;
  for (Index e : rest) {
    const Index v = first.vertex[edges.vertices[e][0]], w = first.vertex[edges.vertices[e][1]];
    const std::array<Index, 2> ends{std::min(v, w), std::max(v, w)};
    const auto it = std::lower_bound(now.vertices.begin(), now.vertices.end(), ends);
    if (v == no_index || w == no_index || it == now.vertices.end() || *it != ends) return std::nullopt;
    list.push_back(static_cast<Index>(it - now.vertices.begin()));
  }
  Result<BooleanResult> result = finished({mesh, part.name, true, nullptr}, now, list, settings, control);
  if (!result) return result;
  for (Index& f : result->sources.face)
    if (f != no_index) f = first.result.sources.face[f];
  const std::array<const Mesh*, 1> from{part.mesh.get()};
  carry_slots(from, result->sources, result->mesh);
  // Fresh edges of the closed chains that are still there.
  const auto key = [](const Vec3& p) { return std::array<double, 3>{p.x(), p.y(), p.z()}; };
  std::map<std::array<double, 3>, Index> at;
  for (Index v = 0; v < result->mesh.positions.size(); ++v) at.emplace(key(result->mesh.positions[v]), v);
  for (const auto& [v, w] : first.result.fresh_edges) {
    const auto a = at.find(key(mesh->positions[v])), b = at.find(key(mesh->positions[w]));
    if (a != at.end() && b != at.end()) result->fresh_edges.push_back({std::min(a->second, b->second), std::max(a->second, b->second)});
  }
  std::sort(result->fresh_edges.begin(), result->fresh_edges.end());
  result->fresh_edges.erase(std::unique(result->fresh_edges.begin(), result->fresh_edges.end()), result->fresh_edges.end());
  return result;
}

Result<BooleanResult> finished(const Workpiece& part, const EdgeTable& edges, std::span<const Index> list, const FinishSettings& settings, const Control& control) {
  const auto begin = std::chrono::steady_clock::now();
  Finish finish(*part.mesh, edges, list, settings, control);
  FinishVolumes volumes = finish.run(list);
  const double narrow = settings.round ? settings.width / settings.segments : settings.second_width > 0 ? std::min(settings.width, settings.second_width) : settings.width;
  const double contact = std::max(settings.weld, contact_for(*part.mesh, std::min(narrow, volumes.thinnest)));
  // Whether the part crosses itself need not be known: the result is proven as a whole.
  if (!finish.local().strips.empty() && settings.weld == 0)
    if (auto local = finished_locally(part, edges, finish.local(), contact, control)) {
      std::optional<Result<BooleanResult>> whole;
      if (finish.local().rest.empty())
        whole = std::move(local->result);
      else
        whole = finish_rest(part, *local, edges, finish.local().rest, settings, control);
      if (whole && *whole) (*whole)->report.seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - begin).count();
      if (whole) return std::move(*whole);
    }
  const double fits = volumes.fits;
  std::vector<MadeTool> tools;
  if (!volumes.removed.empty()) tools.push_back({std::move(volumes.removed), Operation::difference, "what the edges lose"});
  if (!volumes.added.empty()) tools.push_back({std::move(volumes.added), Operation::unite, "what the edges gain"});
  if (tools.empty()) return unchanged_part(*part.mesh);
  Result<BooleanResult> result = combine_heaps(part, std::move(tools), control, contact);
  if (result && settings.width > fits) result->report.tell(wider_than_fits, 1, fmt::format("{:.4g} mm", fits));
  return result;
}

}  // namespace

FinishVolumes finish_volumes(const Mesh& mesh, const EdgeTable& edges, std::span<const Index> list, const FinishSettings& settings, const Control& control) {
  return Finish(mesh, edges, list, settings, control).run(list);
}

Result<BooleanResult> finish_edges(const Workpiece& part, const EdgeTable& edges, std::span<const Index> list, const FinishSettings& settings, const Control& control) {
  Result<BooleanResult> result = finished(part, edges, list, settings, control);
  if (!result || !result->mesh.empty() || list.empty()) return result;
  // Nothing is left: how much would have left something. First some width that does, then nearer to the one that does not.
  FinishSettings less = settings;
  const auto leaves_something = [&](double width) {
    less.width = width;
    less.second_width = settings.second_width * width / settings.width;
    const Result<BooleanResult> tried = finished(part, edges, list, less, control);
    return tried && !tried->mesh.empty();
  };
  double too_much = settings.width, fits = std::min(settings.width / 2, finish_volumes(*part.mesh, edges, list, settings, control).fits);
  constexpr int max_halvings = 40, refinements = 6;
  for (int k = 0; k < max_halvings && !leaves_something(fits); ++k) too_much = fits, fits /= 2;
  for (int k = 0; k < refinements; ++k) {
    const double middle = (fits + too_much) / 2;
    (leaves_something(middle) ? fits : too_much) = middle;
  }
  result->report.empty_reason = fmt::format("a {} of {:.6g} leaves nothing of it; one of {:.4g} does", settings.round ? "radius" : "width", settings.width, fits);
  return result;
}

}  // namespace anvil
