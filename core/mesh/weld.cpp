// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/mesh/weld.h"

#include <tbb/parallel_for.h>

#include <algorithm>
#include <bit>
#include <cstring>
#include <memory>

namespace anvil {
namespace {

constexpr std::size_t bucket_bits = 9;
constexpr std::size_t bucket_count = std::size_t{1} << bucket_bits;

template <class Scalar>
struct Entry {
  Scalar x, y, z;
  Index index;
};

template <class Scalar>
std::uint64_t bits(Scalar s) {
  s += Scalar{0};  // −0 becomes 0
  if constexpr (sizeof(Scalar) == 4)
    return std::bit_cast<std::uint32_t>(s);
  else
    return std::bit_cast<std::uint64_t>(s);
}

template <class Scalar>
std::uint64_t hash(Scalar x, Scalar y, Scalar z) {
  std::uint64_t h = bits(x) * 0x9E3779B97F4A7C15u;
  h = (h ^ (h >> 29) ^ bits(y)) * 0xBF58476D1CE4E5B9u;
  h = (h ^ (h >> 32) ^ bits(z)) * 0x94D049BB133111EBu;
  return h ^ (h >> 31);
}

/// Radix partition by hash so that each bucket's table stays in cache, then one small table per bucket.
template <class Scalar, class Get>
WeldMap weld(std::size_t count, const Get& get) {
  WeldMap map;
  map.id.resize(count);
  const std::size_t chunk_size = std::max<std::size_t>(count / 16 + 1, 4096);
  const std::size_t chunks = (count + chunk_size - 1) / chunk_size;
  std::vector<std::array<Index, bucket_count>> start(chunks + 1);
  auto bucket_of = [](std::uint64_t h) { return h >> (64 - bucket_bits); };

  tbb::parallel_for(std::size_t{0}, chunks, [&](std::size_t chunk) {
    auto& histogram = start[chunk];
    histogram.fill(0);
    for (std::size_t i = chunk * chunk_size; i < std::min(count, (chunk + 1) * chunk_size); ++i) {
      const auto p = get(i);
      ++histogram[bucket_of(hash(p[0], p[1], p[2]))];
    }
  });
  Index running = 0;
  std::array<Index, bucket_count + 1> bucket_start;
  for (std::size_t b = 0; b < bucket_count; ++b) {
    bucket_start[b] = running;
    for (std::size_t chunk = 0; chunk < chunks; ++chunk) {
      const Index n = start[chunk][b];
      start[chunk][b] = running;
      running += n;
    }
  }
  bucket_start[bucket_count] = running;

  auto entries = std::make_unique_for_overwrite<Entry<Scalar>[]>(count);
  tbb::parallel_for(std::size_t{0}, chunks, [&](std::size_t chunk) {
    auto& next = start[chunk];
    for (std::size_t i = chunk * chunk_size; i < std::min(count, (chunk + 1) * chunk_size); ++i) {
      const auto p = get(i);
      entries[next[bucket_of(hash(p[0], p[1], p[2]))]++] = {p[0], p[1], p[2], static_cast<Index>(i)};
    }
  });
  // Within a bucket the entries are in input order, so the table's first entry is the first occurrence.
  tbb::parallel_for(std::size_t{0}, bucket_count, [&](std::size_t b) {
    const std::size_t begin = bucket_start[b], n = bucket_start[b + 1] - begin;
    if (n == 0) return;
    const std::size_t capacity = std::bit_ceil(2 * n);
    std::vector<Index> table(capacity, no_index);
    for (std::size_t k = 0; k < n; ++k) {
      const Entry<Scalar>& e = entries[begin + k];
      std::size_t slot = hash(e.x, e.y, e.z) & (capacity - 1);
      for (;; slot = (slot + 1) & (capacity - 1)) {
        if (table[slot] == no_index) {
          table[slot] = static_cast<Index>(k);
          map.id[e.index] = e.index;
          break;
        }
        const Entry<Scalar>& other = entries[begin + table[slot]];
        if (other.x == e.x && other.y == e.y && other.z == e.z) {
          map.id[e.index] = other.index;
          break;
        }
      }
    }
  });
  // id[i] now names the first equal point; a first occurrence always precedes its followers.
  map.first.reserve(count / 4);
  for (std::size_t i = 0; i < count; ++i) {
    if (map.id[i] == i) {
      map.id[i] = static_cast<Index>(map.first.size());
      map.first.push_back(static_cast<Index>(i));
    } else {
      map.id[i] = map.id[map.id[i]];
    }
  }
  return map;
}

}  // namespace

WeldMap weld_equal(std::span<const Vec3> points) {
  return weld<double>(points.size(), [&](std::size_t i) {
    return std::array<double, 3>{points[i].x(), points[i].y(), points[i].z()};
  });
}

WeldMap weld_equal(const float* points, std::size_t count) {
  return weld<float>(count, [&](std::size_t i) {
    std::array<float, 3> p;
    std::memcpy(p.data(), points + 3 * i, sizeof p);
    return p;
  });
}

Mesh welded(const Mesh& mesh) {
  const WeldMap map = weld_equal(mesh.positions);
  std::vector<Index> renumbered(map.first.size(), no_index);
  Mesh result;
  result.face_offsets = mesh.face_offsets;
  result.materials = mesh.materials;
  result.regions = mesh.regions;
  result.corners.reserve(mesh.corners.size());
  for (Index v : mesh.corners) {
    Index& target = renumbered[map.id[v]];
    if (target == no_index) target = result.add_vertex(mesh.positions[map.first[map.id[v]]]);
    result.corners.push_back(target);
  }
  return result;
}

}  // namespace anvil
