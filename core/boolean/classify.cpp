// SPDX-License-Identifier: GPL-3.0-or-later
// Stage 8: winding numbers of the cells, their labels, and which faces bound the result.
#include <tbb/parallel_for.h>

#include <algorithm>

#include "core/boolean/cells.h"
#include "core/boolean/contradiction.h"
#include "core/boolean/probe.h"
#include "core/boolean/thin_cells.h"
#include "core/mesh/union_find.h"

namespace anvil::boolean {
namespace {

/// Words to numbers from 1 on, in the order of the words; 0 for the empty word.
std::vector<Index> number_labels(const std::vector<std::string>& words) {
  std::vector<std::string> sorted = words;
  std::sort(sorted.begin(), sorted.end());
  sorted.erase(std::unique(sorted.begin(), sorted.end()), sorted.end());
  const Index empty = !sorted.empty() && sorted.front().empty() ? 0 : 1;
  std::vector<Index> numbers;
  for (const std::string& word : words)
    numbers.push_back(empty + static_cast<Index>(std::lower_bound(sorted.begin(), sorted.end(), word) - sorted.begin()));
  return numbers;
}

/// Cells of different components that are one region of space: a component lies in a cell of another, or in the open.
/// A line along an axis through each component tells: what it passes next after the last patch of the component.
void unite_nested(const Cells& cells, const Faces& faces, const Probe& probe, const std::vector<char>& known, UnionFind& regions,
                  const Control& control) {
  const std::size_t patches = cells.first.size();
  UnionFind connected(cells.count);
  for (Index p = 0; p < patches; ++p) connected.unite(cells.cell[2 * p], cells.cell[2 * p + 1]);
  std::vector<char> done(cells.count, 0);
  std::vector<Probe::Passed> passed;
  for (Index p = 0; p < patches; ++p) {
    const Index component = connected.find(cells.cell[2 * p]);
    if (done[component] || !known[cells.cell[2 * p]]) continue;
    check_stop(control);
    bool clear = probe.passed_with(cells.first[p], cells, passed);
    for (Index t = 0; t < faces.triangles() && !clear; ++t)
      clear = cells.patch_of_triangle[t] == p && probe.passed_with(t, cells, passed);
    for (Index f = 0; f < cells.patch_of_face.size() && !clear; ++f)
      clear = cells.patch_of_face[f] == p && probe.passed_with(faces.triangles() + f, cells, passed);
    if (!clear) continue;  // another patch of the component may be clear
    done[component] = 1;
    auto last = passed.size();
    while (last > 0 && connected.find(cells.cell[2 * passed[last - 1].patch]) != component) --last;
    if (last == 0 || last == passed.size()) continue;
    const Probe::Passed &own = passed[last - 1], &next = passed[last];
    regions.unite(cells.cell[2 * own.patch + (own.along ? 0 : 1)], cells.cell[2 * next.patch + (next.along ? 1 : 0)]);
  }
}

/// Winding numbers of all parts in every cell.
class Windings {
 public:
  Windings(const Soup& soup, const Arrangement& arrangement, const Cells& cells, const Faces& faces, const Probe& probe, const Control& control)
      : parts_(soup.parts.size()), numbers_(cells.count * parts_, 0), known_(cells.count, 0) {
    const std::size_t patches = cells.first.size();
    std::vector<std::vector<Index>> sides_of(cells.count);
    for (Index s = 0; s < 2 * patches; ++s) sides_of[cells.cell[s]].push_back(s);
    std::vector<int> number(parts_);
    auto clear_probe = [&](Index p) {
      if (probe.in_front_of(cells.first[p], number)) return true;
      for (Index t = 0; t < soup.triangles.size(); ++t)
        if (cells.patch_of_triangle[t] == p && probe.in_front_of(t, number)) return true;
      for (Index f = 0; f < arrangement.faces.size(); ++f)
        if (cells.patch_of_face[f] == p && probe.in_front_of(faces.triangles() + f, number)) return true;
      return false;
    };
    for (Index p = 0; p < patches; ++p) {
      if (known_[cells.cell[2 * p]]) continue;
      check_stop(control);
      // A new component: one line tells where it lies among the others. Where no line through any of its faces
      // is clear, it is thinner than doubles can tell, and its cells stay unknown.
      if (!clear_probe(p)) continue;
      std::vector<Index> queue{cells.cell[2 * p]};
      set(queue[0], number);
      for (std::size_t k = 0; k < queue.size(); ++k)
        for (Index side : sides_of[queue[k]]) {
          const Index other = cells.cell[side ^ 1u];
          const int way = side % 2 == 0 ? 1 : -1;  // from the front to the back, or out again
          std::copy(of(queue[k]).begin(), of(queue[k]).end(), number.begin());
          faces.sources(cells.first[side / 2], [&](Index t, bool same_way) {
            if (!soup.parts[soup.part[t]].sheet) number[soup.part[t]] += same_way ? way : -way;
          });
          if (!known_[other]) {
            set(other, number);
            queue.push_back(other);
          } else if (!std::equal(number.begin(), number.end(), of(other).begin())) {
            throw Contradiction("winding numbers disagree between neighbouring cells");
          }
        }
    }
  }

  std::span<const int> of(Index cell) const { return {numbers_.data() + cell * parts_, parts_}; }
  const std::vector<char>& known() const { return known_; }

 private:
  void set(Index cell, const std::vector<int>& number) {
    std::copy(number.begin(), number.end(), numbers_.begin() + static_cast<std::ptrdiff_t>(cell * parts_));
    known_[cell] = 1;
  }
  std::size_t parts_;
  std::vector<int> numbers_;
  std::vector<char> known_;
};

/// What the cells say of the parts, thin sheets left aside: which have an inside, and which could as well not be there.
void look_at_parts(const Windings& windings, const CellClassifier& classifier, const std::vector<std::string>& words,
                   const std::vector<Index>& goes_with, std::size_t parts, Selection& selection) {
  selection.bounds.assign(parts, 0);
  for (const int n : classifier.neutral_winding) selection.idle.push_back(n != not_watched);
  std::vector<int> number(parts);
  for (Index c = 0; c < words.size(); ++c) {
    if (goes_with[c] != c) continue;
    const auto here = windings.of(c);
    for (std::size_t k = 0; k < parts; ++k) {
      if (here[k] != 0) selection.bounds[k] = 1;
      if (selection.idle.empty() || !selection.idle[k] || (here[k] != 0) == (classifier.neutral_winding[k] != 0)) continue;
      std::copy(here.begin(), here.end(), number.begin());
      number[k] = classifier.neutral_winding[k];
      if (classifier.label_of(number) != words[c]) selection.idle[k] = 0;
    }
  }
}

/// How many thin sheets went with a neighbour of another label; those that touch count as one.
void count_dissolved(const Cells& cells, const Faces& faces, const PointSet& points, const std::vector<Index>& label,
                     const std::vector<Index>& goes_with, Selection& selection) {
  UnionFind sheets(cells.count);
  std::vector<char> gone(cells.count, 0);
  for (Index c = 0; c < cells.count; ++c) gone[c] = label[c] != label[goes_with[c]];
  std::vector<Index> patch_of(cells.count, no_index);
  for (Index p = 0; p < cells.first.size(); ++p) {
    const Index front = cells.cell[2 * p], back = cells.cell[2 * p + 1];
    for (Index c : {front, back})
      if (patch_of[c] == no_index) patch_of[c] = p;
    if (gone[front] && gone[back]) sheets.unite(front, back);
  }
  for (Index c = 0; c < cells.count; ++c) {
    if (!gone[c] || sheets.find(c) != c) continue;
    ++selection.dissolved;
    if (selection.dissolved_at.size() >= OperationReport::max_places) continue;
    const Triangle& t = faces.corners(cells.first[patch_of[c]]);
    selection.dissolved_at.push_back((points.approximate(t[0]) + points.approximate(t[1]) + points.approximate(t[2])) / 3);
  }
}

}  // namespace

Selection classify(const Soup& soup, const Arrangement& arrangement, const CellClassifier& classifier, const Control& control) {
  Cells cells = find_cells(soup, arrangement, control);
  const Faces faces(soup, arrangement);
  const Probe probe(soup, arrangement);
  const Windings windings(soup, arrangement, cells, faces, probe, control);
  const std::size_t patches = cells.first.size();

  std::vector<std::string> words(cells.count);
  tbb::parallel_for(tbb::blocked_range<Index>(0, cells.count, 64), [&](const auto& range) {
    check_stop(control);
    for (Index c = range.begin(); c < range.end(); ++c) words[c] = classifier.label_of(windings.of(c));
  });
  std::vector<Index> label_of = number_labels(words);
  const std::vector<Index> goes_with = thick_neighbours(soup, arrangement, cells, probe, label_of, classifier.tolerance, control);
  Selection selection;
  look_at_parts(windings, classifier, words, goes_with, soup.parts.size(), selection);
  count_dissolved(cells, faces, arrangement.points, label_of, goes_with, selection);
  std::vector<char> trimmed(cells.count, 0);
  for (Index c = 0; c < cells.count; ++c) {
    if (goes_with[c] != c) label_of[c] = label_of[goes_with[c]];
    trimmed[c] = classifier.trims_away && classifier.trims_away(windings.of(goes_with[c]));
  }

  // Regions: cells of one label; with pieces by place, only those that touch and have no sheet between them.
  UnionFind regions(cells.count);
  for (Index p = 0; p < patches; ++p) {
    const Index front = cells.cell[2 * p], back = cells.cell[2 * p + 1];
    bool sheet = false;
    faces.sources(cells.first[p], [&](Index t, bool) { sheet = sheet || soup.parts[soup.part[t]].sheet; });
    if (goes_with[front] == goes_with[back] || (label_of[front] == label_of[back] && !sheet)) regions.unite(front, back);
  }
  if (classifier.by_place) unite_nested(cells, faces, probe, windings.known(), regions, control);
  // Pieces are numbered by label, then by the first cell.
  std::vector<std::pair<Index, Index>> keys;  // label, region
  auto key_of_cell = [&](Index c) {
    return std::pair(classifier.makes_pieces ? label_of[c] : 1, classifier.by_place ? regions.find(c) : 0);
  };
  for (Index c = 0; c < cells.count; ++c)
    if (label_of[c] != 0) keys.push_back(key_of_cell(c));
  std::sort(keys.begin(), keys.end());
  keys.erase(std::unique(keys.begin(), keys.end()), keys.end());
  auto piece_of_cell = [&](Index c) {
    if (label_of[c] == 0) return no_index;
    return static_cast<Index>(std::lower_bound(keys.begin(), keys.end(), key_of_cell(c)) - keys.begin());
  };
  selection.pieces = static_cast<Index>(keys.size());
  selection.sides.resize(patches);
  for (Index p = 0; p < patches; ++p) {
    const Index front = cells.cell[2 * p], back = cells.cell[2 * p + 1];
    if (!windings.known()[front]) {
      ++selection.left_out;
      continue;
    }
    auto& sides = selection.sides[p];
    sides.in_front = piece_of_cell(front);
    sides.behind = piece_of_cell(back);
    if (sides.in_front == sides.behind) sides = {};
    sides.trimmed_behind = trimmed[back];
    sides.trimmed_in_front = trimmed[front];
    // Of a sheet that is only drawn on and trimmed all faces stay, turned as they were.
    if (soup.parts[0].sheet)
      faces.sources(cells.first[p], [&](Index t, bool same_way) {
        if (soup.part[t] == 0) (same_way ? sides.behind : sides.in_front) = 0;
      });
  }
  if (soup.parts[0].sheet) selection.pieces = 1;
  selection.patch_of_triangle = std::move(cells.patch_of_triangle);
  selection.patch_of_face = std::move(cells.patch_of_face);
  selection.patch_of_region = std::move(cells.patch_of_region);
  selection.scored_triangles = std::move(cells.scored_triangles);
  selection.scored_faces = std::move(cells.scored_faces);
  return selection;
}

}  // namespace anvil::boolean
