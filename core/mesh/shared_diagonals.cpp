// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/mesh/shared_diagonals.h"

#include <algorithm>
#include <tuple>

#include "core/mesh/bucket_sort.h"

namespace anvil {

std::vector<std::array<Index, 2>> shared_diagonals(const Mesh& mesh, const TriangleList& list, std::span<const Index> place, std::span<const char> about) {
  if (mesh.triangles_only()) return {};
  struct Line {
    Index lo, hi, face;
    bool operator<(const Line& o) const { return std::tie(lo, hi, face) < std::tie(o.lo, o.hi, o.face); }
  };
  const auto at = [&](Index v) { return place.empty() ? v : place[v]; };
  std::vector<char> asked(mesh.positions.size(), about.empty());
  for (Index f = 0; f < about.size(); ++f)
    for (Index v : mesh.face(f))
      if (about[f]) asked[at(v)] = 1;
  std::vector<Line> lines;
  for (std::size_t t = 0; t < list.triangles.size(); ++t)
    for (std::size_t k = 0; k < 3; ++k) {
      const auto [lo, hi] = std::minmax({at(list.triangles[t][k]), at(list.triangles[t][(k + 1) % 3])});
      if (asked[lo] && asked[hi] && lo != hi) lines.push_back({lo, hi, list.face[t]});
    }
  sort_by_bucket(lines, mesh.positions.size(), [](const Line& line) { return line.lo; });
  std::vector<std::array<Index, 2>> pairs;
  for (std::size_t i = 0; i < lines.size();) {
    std::size_t j = i;
    Index cut = no_index;  // a face passes a diagonal on both sides
    for (; j < lines.size() && lines[j].lo == lines[i].lo && lines[j].hi == lines[i].hi; ++j)
      if (cut == no_index && j > i && lines[j].face == lines[j - 1].face) cut = lines[j].face;
    for (std::size_t k = i; k < j && cut != no_index; ++k) {
      const Index f = std::min(cut, lines[k].face), g = std::max(cut, lines[k].face);
      if (f != g && (about.empty() || about[f] || about[g])) pairs.push_back({f, g});
    }
    i = j;
  }
  std::sort(pairs.begin(), pairs.end());
  pairs.erase(std::unique(pairs.begin(), pairs.end()), pairs.end());
  return pairs;
}

}  // namespace anvil
