// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/modify/find_again.h"

#include <fmt/format.h>

#include <algorithm>
#include <charconv>
#include <cmath>
#include <map>
#include <unordered_map>
#include <optional>
#include <utility>

#include "core/mesh/attributes.h"

namespace anvil {
namespace {

constexpr double same_place = 1e-6, near_by = 1e-2;  // shares of the diagonal
constexpr double same_way = 0.9;                     // cosine between normals or edges of one shape
constexpr std::size_t max_origins = 8;               // of a vertex
constexpr std::size_t max_alike = 1000;              // of more elements with the same sources none can be told that moved

/// The part and the face that something was made from; which step cut it changes too easily.
using Source = std::pair<Index, Index>;
/// One element as written down.
struct Item {
  Vec3 place = Vec3::Zero();
  std::vector<Source> sources;  ///< sorted; empty when written by hand
  std::vector<double> shape;
};

Source source_of(const Mesh& mesh, Index face) {
  const FaceOrigin origin = origin_of(mesh, face);
  return {origin.part, origin.face};
}

std::vector<Source> sources_of(const Mesh& mesh, const Topology& t, ElementKind kind, Index element) {
  std::vector<Source> sources;
  const auto add = [&](std::span<const Index> faces) {
    for (Index f : faces) sources.push_back(source_of(mesh, f));
  };
  if (kind == ElementKind::faces) sources.push_back(source_of(mesh, element));
  if (kind == ElementKind::edges) add(t.faces_on(element));
  if (kind == ElementKind::vertices) add(t.faces_at(element));
  std::sort(sources.begin(), sources.end());
  if (sources.size() > max_origins) sources.resize(max_origins);
  return sources;
}

std::vector<double> shape_of(const Mesh& mesh, const Topology& t, ElementKind kind, Index element) {
  if (kind == ElementKind::vertices) return {static_cast<double>(t.edges_at(element).size())};
  if (kind == ElementKind::edges) {
    const auto [v, w] = t.edges.vertices[element];
    const Vec3 along = mesh.positions[w] - mesh.positions[v];
    return {along.x(), along.y(), along.z()};
  }
  const Vec3 normal = newell_normal(mesh.positions, mesh.face(element)).stableNormalized();
  return {normal.x(), normal.y(), normal.z(), static_cast<double>(mesh.face(element).size())};
}

/// Cosine of the angle between two shapes; edges have no direction.
double alike(ElementKind kind, const std::vector<double>& a, const std::vector<double>& b) {
  if (a.size() != b.size() || a.empty()) return 1;
  if (kind == ElementKind::vertices) return a == b ? 1 : same_way;
  const Vec3 u(a[0], a[1], a[2]), v(b[0], b[1], b[2]);
  const double lengths = u.norm() * v.norm();
  if (lengths == 0) return u.norm() == v.norm() ? 1 : 0;
  return kind == ElementKind::edges ? std::abs(u.dot(v)) / lengths : u.dot(v) / lengths;
}
bool same_shape(ElementKind kind, const std::vector<double>& a, const std::vector<double>& b, double tolerance) {
  if (a.size() != b.size()) return a.empty() || b.empty();
  // A face that was turned over is the same one.
  if (kind != ElementKind::edges) return std::abs(alike(kind, a, b)) > 1 - 1e-6 && a.back() == b.back();
  const Vec3 u(a[0], a[1], a[2]), v(b[0], b[1], b[2]);
  return std::min((u - v).norm(), (u + v).norm()) <= 2 * tolerance;
}

void append(std::string& text, double value) { fmt::format_to(std::back_inserter(text), "{}", value); }

// Reading -----------------------------------------------------------------------------------------------

Issue unreadable(const std::string& part) {
  return {fmt::format("\"{}\" does not say which elements are meant", part.substr(0, 60)), "", {},
          "choose the elements again, or write \"faces at 1,2,3; 4,5,6\" (edges, vertices), or \"faces all\""};
}

std::optional<std::vector<double>> numbers(std::string_view text, char separator = ',') {
  std::vector<double> list;
  for (const char* at = text.data(), *end = at + text.size(); at < end;) {
    double value = 0;
    const auto [next, error] = std::from_chars(at, end, value);
    if (error != std::errc() || !std::isfinite(value) || (next < end && *next != separator)) return std::nullopt;
    list.push_back(value);
    at = next + (next < end);
    if (next < end && at == end) return std::nullopt;
  }
  return list;
}

std::vector<std::string_view> words_of(std::string_view text, char separator) {
  std::vector<std::string_view> words;
  while (true) {
    const std::size_t end = text.find(separator);
    if (const std::string_view word = text.substr(0, end); !word.empty()) words.push_back(word);
    if (end == std::string_view::npos) return words;
    text.remove_prefix(end + 1);
  }
}

struct Named {
  ElementKind kind = ElementKind::faces;
  bool all = false;
  std::vector<Item> items;
};

std::optional<Item> read_item(std::string_view text) {
  const std::vector<std::string_view> words = words_of(text, ' ');
  if (words.size() % 2 != 1) return std::nullopt;
  Item item;
  const auto place = numbers(words[0]);
  if (!place || place->size() != 3) return std::nullopt;
  item.place = Vec3((*place)[0], (*place)[1], (*place)[2]);
  for (std::size_t k = 1; k + 1 < words.size(); k += 2) {
    if (words[k] == "with") {
      const auto shape = numbers(words[k + 1]);
      if (!shape || shape->empty() || shape->size() > 4) return std::nullopt;
      item.shape = *shape;
    } else if (words[k] == "from") {
      for (std::string_view one : words_of(words[k + 1], ',')) {
        const auto pair = numbers(one, ':');
        if (!pair || pair->size() != 2 || (*pair)[0] < 0 || (*pair)[1] < -1 || (*pair)[0] > no_index || (*pair)[1] > no_index) return std::nullopt;
        item.sources.emplace_back(static_cast<Index>((*pair)[0]), (*pair)[1] < 0 ? no_index : static_cast<Index>((*pair)[1]));
      }
    } else {
      return std::nullopt;
    }
  }
  std::sort(item.sources.begin(), item.sources.end());
  return item;
}

Result<Named> read(const std::string& text) {
  const std::size_t space = text.find(' ');
  const std::string_view kind = std::string_view(text).substr(0, space);
  Named named;
  bool known = false;
  for (const ElementKind each : {ElementKind::vertices, ElementKind::edges, ElementKind::faces})
    if (kind == name_of(each, true)) named.kind = each, known = true;
  if (!known) return unreadable(text);
  const std::string_view rest = space == std::string::npos ? std::string_view() : std::string_view(text).substr(space + 1);
  if (rest.empty() || rest == "all") {
    named.all = !rest.empty();
    return named;
  }
  if (!rest.starts_with("at ")) return unreadable(text);
  for (std::string_view one : words_of(rest.substr(3), ';')) {
    const auto item = read_item(one);
    if (!item) return unreadable(std::string(one));
    named.items.push_back(*item);
  }
  return named;
}

// Finding -----------------------------------------------------------------------------------------------

class Finder {
 public:
  Finder(const Mesh& mesh, const Topology& topology, const Named& named, const Control& control) : mesh_(mesh), t_(topology), named_(named), control_(control) {
    const double diagonal = bounds(mesh).diagonal();
    tolerance_ = same_place * diagonal;
    near_ = near_by * diagonal;
    const std::size_t count = topology.count(mesh, named.kind);
    taken_.assign(count, 0);
    places_.resize(count);
    // Only what lies in or beside the cell of an item can be near it.
    for (const Item& item : named.items) {
      check_stop(control);
      for (int k = 0; k < 27; ++k) cells_[beside(cell_of(item.place), k)];
    }
    for (Index e = 0; e < count; ++e) {
      hear_stop(e);
      places_[e] = place_of(mesh, topology, named.kind, e);
      if (const auto cell = cells_.find(cell_of(places_[e])); cell != cells_.end()) cell->second.push_back(e);
    }
    for (const Item& item : named.items)
      if (!item.sources.empty()) by_source_[item.sources];
    if (by_source_.empty()) return;
    for (Index e = 0; e < count; ++e) {
      hear_stop(e);
      if (const auto it = by_source_.find(sources_of(mesh, topology, named.kind, e)); it != by_source_.end()) it->second.push_back(e);
    }
  }

  FoundElements run() {
    // What is where it was comes first, so that nothing that moved takes its place.
    std::vector<Index> found(named_.items.size(), no_index);
    for (const auto step : {&Finder::unmoved, &Finder::moved, &Finder::by_place})
      for (std::size_t k = 0; k < found.size(); ++k) {
        check_stop(control_);
        if (found[k] == no_index && (found[k] = (this->*step)(named_.items[k])) != no_index) taken_[found[k]] = 1;
      }
    FoundElements out{{named_.kind, {}}, {}};
    for (std::size_t k = 0; k < found.size(); ++k)
      if (found[k] != no_index)
        out.found.list.push_back(found[k]);
      else
        out.missing.push_back(named_.items[k].place);
    return out;
  }

 private:
  const std::vector<Index>& of_sources(const Item& item) const {
    static const std::vector<Index> none;
    return item.sources.empty() ? none : by_source_.at(item.sources);
  }
  Index unmoved(const Item& item) { return item.sources.empty() ? no_index : nearest_alike(item, true); }
  /// Of those with its origins the only one, or the nearest that looks the same way.
  Index moved(const Item& item) {
    // What a step made anew has no origin that could tell it from others.
    if (std::any_of(item.sources.begin(), item.sources.end(), [](const Source& s) { return s.second == no_index; })) return no_index;
    const std::vector<Index>& all = of_sources(item);
    if (all.size() > max_alike) return no_index;
    Index best = no_index;
    double least = std::numeric_limits<double>::infinity();
    for (Index e : all) {
      if (taken_[e]) continue;
      if (all.size() > 1 && alike(named_.kind, shape_of(mesh_, t_, named_.kind, e), item.shape) < same_way) continue;
      const double distance = (places_[e] - item.place).norm();
      if (distance < least) least = distance, best = e;
    }
    return best;
  }
  Index by_place(const Item& item) {
    if (!item.sources.empty()) return nearest_alike(item, false);
    Index best = no_index;
    double least = near_;
    for (Index e = 0; e < places_.size(); ++e) {
      const double distance = (places_[e] - item.place).norm();
      if (!taken_[e] && distance <= least && (distance < least || best == no_index)) least = distance, best = e;
    }
    return best;
  }

  /// The nearest within the tolerance that has the same shape, and where asked the same sources.
  Index nearest_alike(const Item& item, bool same_sources) {
    Index best = no_index;
    double least = tolerance_;
    for (int k = 0; k < 27; ++k) {
      for (Index e : cells_.at(beside(cell_of(item.place), k))) {
        const double distance = (places_[e] - item.place).norm();
        if (taken_[e] || distance > least || (distance == least && e > best)) continue;
        if (same_sources && sources_of(mesh_, t_, named_.kind, e) != item.sources) continue;
        if (same_shape(named_.kind, shape_of(mesh_, t_, named_.kind, e), item.shape, tolerance_)) least = distance, best = e;
      }
    }
    return best;
  }
  void hear_stop(Index e) const {
    if (e % 1024 == 0) check_stop(control_);
  }
  using Cell = std::array<long long, 3>;
  struct CellHash {
    std::size_t operator()(const Cell& c) const {
      std::size_t h = 0;
      for (long long k : c) h = (h ^ static_cast<std::size_t>(k)) * 0x9e3779b97f4a7c15u;
      return h ^ h >> 31;
    }
  };
  /// Of a grid of the tolerance; coarse where there is none.
  Cell cell_of(const Vec3& p) const {
    const double side = std::max(tolerance_, std::numeric_limits<double>::min());
    Cell cell;
    for (int k = 0; k < 3; ++k) cell[static_cast<std::size_t>(k)] = static_cast<long long>(std::clamp(std::floor(p[k] / side), -1e18, 1e18));
    return cell;
  }

  /// One of the 27 cells around and with `middle`.
  static Cell beside(const Cell& middle, int k) { return {middle[0] + k % 3 - 1, middle[1] + k / 3 % 3 - 1, middle[2] + k / 9 - 1}; }

  const Mesh& mesh_;
  const Topology& t_;
  const Named& named_;
  const Control& control_;
  double tolerance_, near_;
  std::vector<char> taken_;
  std::vector<Vec3> places_;
  std::unordered_map<Cell, std::vector<Index>, CellHash> cells_;  ///< those near items
  std::map<std::vector<Source>, std::vector<Index>> by_source_;
};

}  // namespace

std::string describe(const Mesh& mesh, const Topology& topology, const Elements& chosen) {
  std::string text = name_of(chosen.kind, true);
  const char* before = " at ";
  for (Index e : chosen.list) {
    text += std::exchange(before, "; ");
    const Vec3 place = place_of(mesh, topology, chosen.kind, e);
    for (int k = 0; k < 3; ++k) {
      if (k > 0) text += ',';
      append(text, place[k]);
    }
    const char* join = " from ";
    for (const auto& [part, face] : sources_of(mesh, topology, chosen.kind, e)) {
      text += std::exchange(join, ",");
      text += std::to_string(part) + ':' + (face == no_index ? std::string("-1") : std::to_string(face));
    }
    join = " with ";
    for (double value : shape_of(mesh, topology, chosen.kind, e)) {
      text += std::exchange(join, ",");
      append(text, value);
    }
  }
  return text;
}

Result<FoundElements> find_again(const Mesh& mesh, const Topology& topology, const std::string& text, const Control& control) {
  const Result<Named> named = read(text);
  if (!named) return named.issue();
  if (named->items.empty() && !named->all) return FoundElements{{named->kind, {}}, {}};
  if (named->all) {
    FoundElements all{{named->kind, {}}, {}};
    for (Index e = 0; e < topology.count(mesh, named->kind); ++e) all.found.list.push_back(e);
    return all;
  }
  return Finder(mesh, topology, *named, control).run();
}

Result<NamedElements> named_elements(const std::string& text) {
  const Result<Named> named = read(text);
  if (!named) return named.issue();
  return NamedElements{named->kind, named->all ? no_index : static_cast<Index>(named->items.size())};
}

}  // namespace anvil
