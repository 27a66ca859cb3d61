// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/shape/scatter.h"

#include <algorithm>
#include <cmath>
#include <numbers>
#include <unordered_map>

#include "core/mesh/triangulate.h"

namespace anvil {
namespace {

/// The shortest turn of Z to a direction of length 1. (Eigen's own takes ten seconds to compile.)
Eigen::Matrix3d upright_to(const Vec3& direction) {
  const double cosine = direction.z();
  if (cosine < -1 + 1e-12) return Eigen::AngleAxisd(std::numbers::pi, Vec3::UnitX()).toRotationMatrix();
  const double s = std::sqrt(2 * (1 + cosine));
  const Vec3 axis = Vec3::UnitZ().cross(direction) / s;
  return Eigen::Quaterniond(s / 2, axis.x(), axis.y(), axis.z()).toRotationMatrix();
}

/// SplitMix64 (Steele, Lea and Flood, OOPSLA 2014): the same on every machine.
class Chance {
 public:
  explicit Chance(std::uint64_t seed) : state_(seed) {}
  /// From 0 up to below 1.
  double next() {
    state_ += 0x9e3779b97f4a7c15u;
    std::uint64_t x = state_;
    x = (x ^ x >> 30) * 0xbf58476d1ce4e5b9u;
    x = (x ^ x >> 27) * 0x94d049bb133111ebu;
    return static_cast<double>((x ^ x >> 31) >> 11) * 0x1p-53;
  }

 private:
  std::uint64_t state_;
};

/// Taken points by cells as large as the distance.
class Taken {
 public:
  explicit Taken(double distance) : distance_(distance) {}
  bool is_free(const Vec3& p) const {
    if (distance_ <= 0) return true;
    const auto at = cell(p);
    for (long i = -1; i <= 1; ++i)
      for (long j = -1; j <= 1; ++j)
        for (long k = -1; k <= 1; ++k)
          if (const auto it = cells_.find(key({at[0] + i, at[1] + j, at[2] + k})); it != cells_.end())
            for (const Vec3& q : it->second)
              if ((p - q).squaredNorm() < distance_ * distance_) return false;
    return true;
  }
  void take(const Vec3& p) {
    if (distance_ > 0) cells_[key(cell(p))].push_back(p);
  }

 private:
  std::array<long, 3> cell(const Vec3& p) const {
    return {std::lround(std::floor(p.x() / distance_)), std::lround(std::floor(p.y() / distance_)), std::lround(std::floor(p.z() / distance_))};
  }
  static std::uint64_t key(const std::array<long, 3>& c) {
    std::uint64_t h = 0;
    for (long x : c) h = (h ^ static_cast<std::uint64_t>(x)) * 0x9e3779b97f4a7c15u;
    return h;  // cells that share a number are only looked through together
  }
  double distance_;
  std::unordered_map<std::uint64_t, std::vector<Vec3>> cells_;
};

}  // namespace

std::vector<Affine> scatter_places(const Mesh& mesh, std::span<const Index> faces, const ScatterSettings& settings, std::size_t* wanted_left_out, const Control& control) {
  const TriangleList all = triangulate(mesh);
  std::vector<char> wanted(mesh.face_count(), faces.empty());
  for (Index f : faces) wanted[f] = 1;
  std::vector<Index> triangles;
  std::vector<double> until;
  double area = 0;
  for (Index t = 0; t < all.triangles.size(); ++t) {
    if (!wanted[all.face[t]]) continue;
    const auto& [a, b, c] = all.triangles[t];
    area += (mesh.positions[b] - mesh.positions[a]).cross(mesh.positions[c] - mesh.positions[a]).norm() / 2;
    triangles.push_back(t);
    until.push_back(area);
  }
  if (wanted_left_out != nullptr) *wanted_left_out = settings.count;
  if (!(area > 0)) return {};
  Chance chance(settings.seed);
  Taken taken(settings.distance);
  constexpr double darts_per_disc = 30, max_darts = 2e7;
  const double discs = settings.distance > 0 ? area / (std::numbers::pi / 4 * settings.distance * settings.distance) : 1e300;
  const double darts = std::min(max_darts, settings.distance > 0 ? darts_per_disc * discs + 1000 : static_cast<double>(settings.count));
  std::vector<Affine> places;
  std::size_t found = 0;
  for (double dart = 0; dart < darts && (settings.count == 0 || found < settings.count); ++dart) {
    check_stop(control);
    const auto at = static_cast<std::size_t>(std::upper_bound(until.begin(), until.end(), chance.next() * area) - until.begin());
    const auto& [a, b, c] = all.triangles[triangles[std::min(at, triangles.size() - 1)]];
    double s = chance.next(), t = chance.next();
    if (s + t > 1) s = 1 - s, t = 1 - t;
    const Vec3 u = mesh.positions[b] - mesh.positions[a], v = mesh.positions[c] - mesh.positions[a];
    const Vec3 p = mesh.positions[a] + s * u + t * v;
    if (!taken.is_free(p)) continue;
    taken.take(p);
    ++found;
    const bool kept = chance.next() < settings.share;
    const double size = settings.min_size + chance.next() * (settings.max_size - settings.min_size), turn = chance.next() * 2 * std::numbers::pi;
    if (!kept) continue;
    Affine place = Affine::Identity();
    place.translation() = p;
    if (settings.along_normal) place.linear() = upright_to(u.cross(v).stableNormalized());
    if (settings.turned) place.linear() = place.linear() * Eigen::AngleAxisd(turn, Vec3::UnitZ()).toRotationMatrix();
    place.linear() *= size;
    places.push_back(place);
  }
  if (wanted_left_out != nullptr) *wanted_left_out = settings.count > found ? settings.count - found : 0;
  return places;
}

}  // namespace anvil
