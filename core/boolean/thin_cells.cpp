// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/boolean/thin_cells.h"

#include <algorithm>
#include <map>
#include <numeric>
#include <set>
#include <tuple>

#include "core/boolean/layer.h"
#include "core/mesh/union_find.h"

namespace anvil::boolean {
namespace {

class ThinCells {
 public:
  ThinCells(const Soup& soup, const Arrangement& arrangement, const Cells& cells, const Probe& probe, double tolerance,
            const Control& control)
      : soup_(soup), arrangement_(arrangement), faces_(soup, arrangement), cells_(cells), probe_(probe), tolerance_(tolerance),
        control_(control), thin_(cells.count, 0) {}

  std::vector<Index> run(std::span<const Index> label) {
    std::vector<Index> goes_with(cells_.count);
    std::iota(goes_with.begin(), goes_with.end(), Index{0});
    if (!find_candidates()) return goes_with;
    keep_layers();
    keep_outer_cells();
    decide(label, goes_with);
    return goes_with;
  }

 private:
  Index patches() const { return static_cast<Index>(cells_.first.size()); }
  template <class Visit>
  void for_each_face(Visit&& visit) const {
    for (Index t = 0; t < faces_.triangles(); ++t)
      if (cells_.patch_of_triangle[t] != no_index) visit(t, cells_.patch_of_triangle[t]);
    for (Index f = 0; f < arrangement_.faces.size(); ++f) visit(faces_.triangles() + f, cells_.patch_of_face[f]);
  }
  std::array<Vec3, 3> corners(Index face) const {
    const Triangle& t = faces_.corners(face);
    return {arrangement_.points.approximate(t[0]), arrangement_.points.approximate(t[1]), arrangement_.points.approximate(t[2])};
  }

  /// Cells of little volume for their area. @return false when there is none
  bool find_candidates() {
    const Vec3 origin = soup_.points.empty() ? Vec3(0, 0, 0) : soup_.points[0];
    patch_.assign(patches(), {});
    for_each_face([&](Index face, Index patch) {
      const auto [a, b, c] = corners(face);
      patch_[patch].add(origin, a, b, c);
    });
    std::vector<Enclosed> enclosed(cells_.count);
    for (Index s = 0; s < 2 * patches(); ++s) enclosed[cells_.cell[s]].add(patch_[s / 2], s % 2 == 0 ? -1 : 1);
    for (Index c = 0; c < cells_.count; ++c) thin_[c] = enclosed[c].thinner_than(tolerance_);
    for (Index patch : cells_.patch_of_region)
      for (Index side : {2 * patch, 2 * patch + 1}) thin_[cells_.cell[side]] = 0;
    return std::find(thin_.begin(), thin_.end(), 1) != thin_.end();
  }

  /// Of the candidates, only those stay thin that are thin everywhere.
  void keep_layers() {
    std::vector<std::vector<LayerFace>> faces(cells_.count);
    for_each_face([&](Index face, Index patch) {
      for (Index side : {2 * patch, 2 * patch + 1}) {
        const Index cell = cells_.cell[side];
        if (!thin_[cell] || cells_.cell[side ^ 1u] == cell) continue;
        auto [a, b, c] = corners(face);
        if (side % 2 == 0) std::swap(b, c);  // faces look to their front
        faces[cell].push_back({a, b, c});
      }
    });
    for (Index c = 0; c < cells_.count; ++c)
      if (thin_[c] && !is_layer(faces[c], tolerance_, control_)) thin_[c] = 0;
  }

  /// Space itself is never thin, even beside a component that is nothing but a thin sheet.
  void keep_outer_cells() {
    UnionFind connected(cells_.count);
    for (Index p = 0; p < patches(); ++p) connected.unite(cells_.cell[2 * p], cells_.cell[2 * p + 1]);
    std::vector<char> has_thick(cells_.count, 0);
    for (Index c = 0; c < cells_.count; ++c)
      if (!thin_[c]) has_thick[connected.find(c)] = 1;
    std::vector<Probe::Passed> passed;
    for (Index p = 0; p < patches(); ++p) {
      const Index component = connected.find(cells_.cell[2 * p]);
      if (has_thick[component]) continue;
      check_stop(control_);
      if (!probe_.passed_with(cells_.first[p], cells_, passed)) continue;
      const auto first = std::find_if(passed.begin(), passed.end(), [&](const Probe::Passed& by) {
        return connected.find(cells_.cell[2 * by.patch]) == component;
      });
      if (first == passed.end()) continue;
      thin_[cells_.cell[2 * first->patch + (first->along ? 1 : 0)]] = 0;
      has_thick[component] = 1;
    }
    for (Index c = 0; c < cells_.count; ++c)
      if (!has_thick[connected.find(c)]) thin_[c] = 0;
  }

  /// Each thin cell goes with one beside it, those first that are best surrounded by cells that are decided. It keeps its
  /// label where enough of its border has it on the other side, and takes that of the longest border else: so a slit in a
  /// body closes although it opens into the air, and a thin sheet on a body stays what it is.
  void decide(std::span<const Index> label, std::vector<Index>& goes_with) {
    struct Border {
      Index cell;
      double area;
      bool sheet;
    };
    std::map<std::tuple<Index, Index, bool>, double> areas;  // of two cells, over a sheet or not
    for (Index p = 0; p < patches(); ++p) {
      const auto [one, other] = std::minmax(cells_.cell[2 * p], cells_.cell[2 * p + 1]);
      if (one == other || (!thin_[one] && !thin_[other])) continue;
      bool sheet = false;
      faces_.sources(cells_.first[p], [&](Index t, bool) { sheet = sheet || soup_.parts[soup_.part[t]].sheet; });
      areas[{one, other, sheet}] += patch_[p].area;
    }
    std::vector<std::vector<Border>> borders(cells_.count);
    std::vector<double> whole(cells_.count, 0), decided(cells_.count, 0);
    for (const auto& [between, area] : areas) {
      const auto& [one, other, sheet] = between;
      for (const auto& [cell, beyond] : {std::pair(one, other), std::pair(other, one)}) {
        borders[cell].push_back({beyond, area, sheet});
        whole[cell] += area;
        if (!thin_[beyond]) decided[cell] += area;
      }
    }
    std::set<std::pair<double, Index>> waiting;  // share that is not decided yet, cell
    auto key = [&](Index c) { return std::pair(whole[c] > 0 ? 1 - decided[c] / whole[c] : 1, c); };
    for (Index c = 0; c < cells_.count; ++c)
      if (thin_[c]) waiting.insert(key(c));
    while (!waiting.empty()) {
      const Index cell = waiting.begin()->second;
      waiting.erase(waiting.begin());
      std::map<Index, double> by_label;
      double most = 0;
      for (const Border& border : borders[cell]) {
        if (thin_[border.cell]) continue;
        // Over a sheet only where there is nothing else.
        most = std::max(most, by_label[label[goes_with[border.cell]]] += border.sheet ? 1e-9 * border.area : border.area);
      }
      if (by_label.empty()) return;  // nothing around what is left is decided: it stays as it is
      const auto own = by_label.find(label[cell]);
      const bool keeps = own != by_label.end() && own->second >= enough * decided[cell];
      Index with = no_index;
      double longest = -1;
      for (const Border& border : borders[cell]) {
        if (thin_[border.cell]) continue;
        const Index theirs = label[goes_with[border.cell]];
        if (keeps ? theirs != label[cell] : by_label[theirs] < most) continue;
        if (const double area = border.sheet ? 1e-9 * border.area : border.area; area > longest) longest = area, with = goes_with[border.cell];
      }
      goes_with[cell] = with;
      thin_[cell] = 0;
      for (const Border& border : borders[cell]) {
        if (!thin_[border.cell]) continue;
        waiting.erase(key(border.cell));
        decided[border.cell] += border.area;
        waiting.insert(key(border.cell));
      }
    }
  }

  static constexpr double enough = 0.4;  ///< of the border that is decided

  const Soup& soup_;
  const Arrangement& arrangement_;
  Faces faces_;
  const Cells& cells_;
  const Probe& probe_;
  double tolerance_;
  const Control& control_;
  std::vector<char> thin_;  ///< per cell
  std::vector<Enclosed> patch_;
};

}  // namespace

std::vector<Index> thick_neighbours(const Soup& soup, const Arrangement& arrangement, const Cells& cells, const Probe& probe,
                                    std::span<const Index> label, double tolerance, const Control& control) {
  if (tolerance <= 0) {
    std::vector<Index> themselves(cells.count);
    std::iota(themselves.begin(), themselves.end(), Index{0});
    return themselves;
  }
  return ThinCells(soup, arrangement, cells, probe, tolerance, control).run(label);
}

}  // namespace anvil::boolean
