// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/recast/smooth.h"

#include <tbb/parallel_for.h>

#include <algorithm>
#include <atomic>
#include <numeric>
#include <optional>

#include "core/mesh/union_find.h"
#include "core/recast/move_vertices.h"
#include "core/recast/pass_series.h"
#include "core/recast/rings.h"

namespace anvil {
namespace {

using recast::PassPair;
using recast::Rings;

constexpr Note smoothing_held_back{"smoothing_held_back", "1 vertex was held back so that the surface does not cross itself", "{0} vertices were held back so that the surface does not cross itself"};

void for_each_vertex(std::size_t count, const Control& control, const auto& visit) {
  check_stop(control);
  tbb::parallel_for(tbb::blocked_range<Index>(0, static_cast<Index>(count), 4096), [&](const auto& range) {
    for (Index v = range.begin(); v < range.end(); ++v) visit(v);
  });
}

/// A sum of cross products, number by number: with vectors of three the compiler goes through memory, at half as much time again.
class AreaSum {
 public:
  explicit AreaSum(const Vec3& from) : px_(from.x()), py_(from.y()), pz_(from.z()) {}
  void add(const Vec3& a, const Vec3& b) {
    const double ax = a.x() - px_, ay = a.y() - py_, az = a.z() - pz_, bx = b.x() - px_, by = b.y() - py_, bz = b.z() - pz_;
    x_ += ay * bz - az * by, y_ += az * bx - ax * bz, z_ += ax * by - ay * bx;
  }
  Vec3 vector() const { return {x_, y_, z_}; }
  /// Of length one; 0 where there is no area.
  Eigen::Vector3f normal() const {
    const double square = x_ * x_ + y_ * y_ + z_ * z_;
    constexpr double least = 1e-200, most = 1e200;
    if (!(square > least && square < most)) return vector().stableNormalized().cast<float>();
    const double shorter = 1 / std::sqrt(square);
    return {static_cast<float>(x_ * shorter), static_cast<float>(y_ * shorter), static_cast<float>(z_ * shorter)};
  }
  double dot_from(const Vec3& origin) const { return (px_ - origin.x()) * x_ + (py_ - origin.y()) * y_ + (pz_ - origin.z()) * z_; }

 private:
  double px_, py_, pz_, x_ = 0, y_ = 0, z_ = 0;
};

AreaSum area_of(const std::vector<Vec3>& at, std::span<const Index> ring) {
  AreaSum area(at[ring[0]]);
  for (std::size_t k = 1; k + 1 < ring.size(); ++k) area.add(at[ring[k]], at[ring[k + 1]]);
  return area;
}

/// Of so many, in blocks, so that the sum is the same on any number of threads.
double sum_of(std::size_t count, const Control& control, const auto& of_one) {
  check_stop(control);
  constexpr std::size_t together = 4096;
  std::vector<double> sums((count + together - 1) / together, 0);
  tbb::parallel_for(std::size_t{0}, sums.size(), [&](std::size_t block) {
    double sum = 0;
    for (std::size_t k = block * together; k < std::min(count, (block + 1) * together); ++k) sum += of_one(static_cast<Index>(k));
    sums[block] = sum;
  });
  return std::accumulate(sums.begin(), sums.end(), 0.0);
}

/// What hangs together: each shell keeps its own volume.
class Shells {
 public:
  explicit Shells(const Mesh& mesh) {
    if (mesh.corners.empty()) return;
    UnionFind joined(mesh.positions.size());
    for (Index f = 0; f < mesh.face_count(); ++f)
      for (Index v : mesh.face(f)) joined.unite(v, mesh.face(f)[0]);
    std::vector<Index> shell;
    const Index all = joined.number(shell);  // those of vertices without a face have nothing to sum
    std::vector<char> seen(all, 0);
    Index with_faces = 0;
    for (Index f = 0; f < mesh.face_count(); ++f)
      if (char& is_seen = seen[shell[mesh.face(f)[0]]]; !is_seen) is_seen = 1, ++with_faces, origins_.resize(all), origins_[shell[mesh.face(f)[0]]] = mesh.positions[mesh.face(f)[0]];
    if (with_faces > 1)
      of_ = std::move(shell), count_ = all;
    else
      origins_.assign(1, mesh.positions[mesh.corners[0]]);
  }
  Index count() const { return count_; }
  Index of(Index vertex) const { return of_.empty() ? 0 : of_[vertex]; }
  /// Of each shell: of one vertex, which does not move, so that what an open shell encloses compares with what it did.
  const Vec3& origin(Index shell) const { return origins_[shell]; }

  /// A sum for each shell, in an order that does not depend on the threads.
  /// @param vertex_of  one of each thing
  std::vector<double> sums(std::size_t things, const Control& control, const auto& vertex_of, const auto& of_one) const {
    if (count_ == 1) return {sum_of(things, control, of_one)};
    std::vector<double> each(things), sums(count_, 0);
    for_each_vertex(things, control, [&](Index k) { each[k] = of_one(k); });
    for (Index k = 0; k < things; ++k) sums[of(vertex_of(k))] += each[k];
    return sums;
  }
  std::vector<double> volumes(const Mesh& mesh, const std::vector<Vec3>& at, const Control& control) const {
    if (mesh.corners.empty()) return {0};
    std::vector<double> volumes = sums(mesh.face_count(), control, [&](Index f) { return mesh.face(f)[0]; },
                                       [&](Index f) { return area_of(at, mesh.face(f)).dot_from(origin(of(mesh.face(f)[0]))); });
    for (double& volume : volumes) volume /= 6;
    return volumes;
  }

 private:
  std::vector<Index> of_;  ///< per vertex; empty while there is one
  std::vector<Vec3> origins_{Vec3::Zero()};
  Index count_ = 1;
};

/// Which vertices may move.
std::vector<char> movable_vertices(const Mesh& mesh, const Rings& rings, const SmoothSettings& settings, const Control& control) {
  std::vector<Eigen::Vector3f> normals(mesh.face_count());
  for_each_vertex(mesh.face_count(), control, [&](Index f) { normals[f] = area_of(mesh.positions, mesh.face(f)).normal(); });
  const recast::EdgeHolder holds(mesh, settings.held);
  std::vector<char> movable(mesh.positions.size(), 1);
  const auto stays = [&](Index v) { std::atomic_ref(movable[v]).store(0, std::memory_order_relaxed); };
  for_each_vertex(movable.size(), control, [&](Index v) {
    const auto next = rings.next(v);
    const auto corners = rings.corners(v);
    if (next.empty() || (!settings.scope.empty() && std::any_of(corners.begin(), corners.end(), [&](const Rings::Corner& c) { return !settings.scope[c.face]; }))) stays(v);
    // Each edge is looked at from the first of its ends. It has two sides where one face follows it there and one face comes from there.
    const auto look_at = [&](Index other) {
      std::size_t follow = 0, come = 0, there = 0, back = 0;
      for (std::size_t k = 0; k < next.size(); ++k) {
        const std::size_t follows = next[k] == other, comes = corners[k].previous == other;
        follow += follows, there += follows * k;
        come += comes, back += comes * k;
      }
      const bool has_two_sides = follow == 1 && come == 1;
      if (has_two_sides ? holds(corners[there].face, normals[corners[there].face], corners[back].face, normals[corners[back].face]) : settings.hold_borders) stays(v), stays(other);
      return has_two_sides;
    };
    std::ptrdiff_t one_sided = 0;
    for (Index other : next)
      if (other > v) one_sided += look_at(other) ? -1 : 1;
    one_sided += std::count_if(corners.begin(), corners.end(), [&](const Rings::Corner& c) { return c.previous > v; });
    if (one_sided == 0) return;
    for (const Rings::Corner& c : corners)
      if (c.previous > v) look_at(c.previous);
  });
  return movable;
}

/// Sum over the corners at a vertex: twice the area around it, as a vector along its normal.
AreaSum area_around(const Rings& rings, const std::vector<Vec3>& at, Index v) {
  AreaSum sum(at[v]);
  const auto next = rings.next(v);
  const auto corners = rings.corners(v);
  for (std::size_t k = 0; k < next.size(); ++k) sum.add(at[next[k]], at[corners[k].previous]);
  return sum;
}

/// The vertices on their way.
class Passes {
 public:
  Passes(const Mesh& mesh, const Rings& rings, const std::vector<char>& movable, const Control& control)
      : at(mesh.positions.size()), mesh_(mesh), rings_(rings), movable_(movable), control_(control), ways_(at.size()), term_(at.size()), before_(at.size()) {
    for (const Vec3& p : mesh.positions) unit_ = std::max(unit_, (p - mesh.positions[0]).cwiseAbs().maxCoeff());
  }

  void start() {
    for_each_vertex(at.size(), control_, [&](Index v) { at[v] = mesh_.positions[v]; });
  }

  /// So many passes at once, by the series instead of one after the other (Clenshaw's recurrence): ten pairs of the default strength need six looks at all neighbours instead of twenty, a
  /// hundred need fifteen.
  void filter(const PassPair& pair, Index count) {
    const std::vector<float> series = recast::series_of(pair, count);
    for_each_vertex(at.size(), control_, [&](Index v) {
      ways_[v] = (way(v) / unit_).cast<float>();
      term_[v] = series.back() * ways_[v];
      before_[v].setZero();
    });
    if (series.size() == 1) return move(1);
    for (std::size_t k = series.size() - 1; k-- > 1; term_.swap(before_))
      for_each_vertex(at.size(), control_, [&](Index v) {
        if (movable_[v]) before_[v] = series[k] * ways_[v] + 2 * middle(term_, v) - before_[v];
      });
    for_each_vertex(at.size(), control_, [&](Index v) {
      if (movable_[v]) move(v, unit_, series[0] * ways_[v] + middle(term_, v) - before_[v]);
    });
  }

  /// One pass, along normals alone: what it does to a wave depends on how the surface lies.
  void step_along_normals(double by) {
    for_each_vertex(at.size(), control_, [&](Index v) {
      const Vec3 normal = (movable_[v] ? area_around(rings_, at, v).normal() : Way(Way::Zero())).cast<double>();
      term_[v] = (way(v).dot(normal) / unit_ * normal).cast<float>();
    });
    move(by);
  }

  /// Moves vertices along their normals, all of a shell by as much, until each shell has the volume that it had.
  /// @param lost  what each has less than then
  void restore_volumes(const Shells& shells, const std::vector<double>& volumes, std::vector<double> lost) {
    constexpr int rounds = 10;
    constexpr double done = 1e-10, well = 0.1;
    std::vector<double> areas, by(lost.size());
    bool known = false;
    const auto is_open = [&](std::size_t s) { return std::abs(lost[s]) > done * std::abs(volumes[s]); };
    for (int k = 0; k < rounds; ++k) {
      // The same normals as long as they serve. To first order a step changes the volume by as much times the moving area, a third of each face for each corner.
      if (!known)
        areas = shells.sums(at.size(), control_, [](Index v) { return v; }, [&](Index v) {
          const AreaSum around = movable_[v] ? area_around(rings_, at, v) : AreaSum(at[v]);
          term_[v] = around.normal();
          return around.vector().norm();
        });
      bool any = false;
      for (std::size_t s = 0; s < lost.size(); ++s) {
        by[s] = is_open(s) && areas[s] > 0 ? 6 * lost[s] / areas[s] : 0;
        any = any || by[s] != 0;
      }
      if (!any) return;
      for_each_vertex(at.size(), control_, [&](Index v) { move(v, by[shells.of(v)], term_[v]); });
      const std::vector<double> now = shells.volumes(mesh_, at, control_);
      known = true;
      for (std::size_t s = 0; s < lost.size(); ++s) {
        const double left = volumes[s] - now[s];
        known = known && (by[s] == 0 || std::abs(left) < well * std::abs(lost[s]));
        lost[s] = left;
      }
    }
  }

  std::vector<Vec3> at;

 private:
  using Way = Eigen::Vector3f;  ///< in units: floats do, since rounding them is rounding a small step

  template <class Vector>
  Vector middle(const std::vector<Vector>& values, Index v) const {
    const auto around = rings_.next(v);
    Vector sum = Vector::Zero();
    for (Index neighbour : around) sum += values[neighbour];
    return sum * (1 / static_cast<typename Vector::Scalar>(around.size()));
  }
  Vec3 way(Index v) const { return movable_[v] ? Vec3(middle(at, v) - at[v]) : Vec3(Vec3::Zero()); }
  void move(Index v, double by, const Way& way) { at[v] += by * way.cast<double>(); }
  void move(double by) {
    for_each_vertex(at.size(), control_, [&](Index v) { move(v, by * unit_, term_[v]); });
  }

  const Mesh& mesh_;
  const Rings& rings_;
  const std::vector<char>& movable_;
  const Control& control_;
  double unit_ = 1e-300;
  std::vector<Way> ways_, term_, before_;
};

std::vector<Vec3> passes(const Mesh& mesh, const Rings& rings, const SmoothSettings& settings, const std::vector<char>& movable, const Control& control) {
  // Taubin's pass band: what is longer than some twenty vertices stays.
  constexpr double pass_band = 0.1;
  // Beyond these a pass, or one with its widening, makes the shortest waves larger, not smaller.
  constexpr double strongest = 0.95, strongest_pair = 0.68;
  PassPair pair{settings.strength * (settings.keep_volume ? strongest_pair : strongest), 0};
  if (settings.keep_volume && pair.narrowing > 0) pair.widening = 1 / (pass_band - 1 / pair.narrowing);
  Passes passes(mesh, rings, movable, control);
  std::optional<Shells> shells;
  if (settings.keep_volume) shells.emplace(mesh);
  const std::vector<double> volumes = shells ? shells->volumes(mesh, mesh.positions, control) : std::vector<double>();
  // All of them, so many at once; whether the volume could be kept.
  const auto in_batches = [&](Index most) {
    passes.start();
    for (Index done = 0; done < settings.passes;) {
      const Index count = std::min(most, settings.passes - done);
      if (settings.along_normals)
        for (Index k = 0; k < count; ++k) {
          passes.step_along_normals(pair.narrowing);
          if (settings.keep_volume) passes.step_along_normals(pair.widening);
        }
      else
        passes.filter(pair, count);
      if (settings.keep_volume) {
        // Few vertices shrink fast all the same; what has shrunk far cannot be blown up again.
        constexpr double much = 0.01;
        std::vector<double> lost = shells->volumes(mesh, passes.at, control);
        for (std::size_t s = 0; s < lost.size(); ++s) {
          lost[s] = volumes[s] - lost[s];
          if (count > 1 && !(std::abs(lost[s]) <= much * std::abs(volumes[s]))) return false;
        }
        passes.restore_volumes(*shells, volumes, std::move(lost));
      }
      done += count;
      if (control.progress != nullptr) *control.progress = 0.5 * done / settings.passes;
    }
    return true;
  };
  constexpr Index seldom = 100;
  for (Index together = settings.keep_volume ? std::min(seldom, settings.passes) : settings.passes; !in_batches(together);) together = (together + 1) / 2;
  return std::move(passes.at);
}

}  // namespace

std::vector<Vec3> smooth_passes(const Mesh& mesh, const SmoothSettings& settings, const Control& control) {
  const Rings rings(mesh);
  return passes(mesh, rings, settings, movable_vertices(mesh, rings, settings, control), control);
}

Smoothed smooth(const Mesh& mesh, const std::string& name, const SmoothSettings& settings, const Control& control) {
  const Rings rings(mesh);
  const std::vector<char> movable = movable_vertices(mesh, rings, settings, control);
  recast::MovedVertices moved = recast::move_vertices(mesh, passes(mesh, rings, settings, movable, control), movable, control);
  std::vector<Vec3> places;
  for (std::size_t v = 0; v < moved.held_back.size() && places.size() < OperationReport::max_places; ++v)
    if (moved.held_back[v]) places.push_back(moved.positions[v]);
  Smoothed smoothed;
  smoothed.is_sound = moved.is_sound;
  if (const auto count = static_cast<std::size_t>(std::count(moved.held_back.begin(), moved.held_back.end(), 1)); count > 0)
    smoothed.report.tell(smoothing_held_back, count, name, std::move(places));
  smoothed.positions = std::move(moved.positions);
  return smoothed;
}

}  // namespace anvil
