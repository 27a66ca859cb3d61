// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/mesh/edge_rule.h"

#include <fmt/format.h>

#include <algorithm>
#include <charconv>
#include <cmath>

namespace anvil {
namespace {

constexpr double flat_degrees = 0.01;
constexpr double degrees_per_radian = 180 / 3.14159265358979323846;

/// By how many degrees the surface turns at an edge; nothing for one without two faces that run it against each other.
std::optional<double> turn_at(const Mesh& mesh, const EdgeTable& edges, Index e) {
  const auto uses = edges.corners_of(e);
  if (uses.size() != 2 || mesh.corners[uses[0]] == mesh.corners[uses[1]]) return std::nullopt;
  const Vec3 n = newell_normal(mesh.positions, mesh.face(edges.corner_face[uses[0]])).stableNormalized(),
             m = newell_normal(mesh.positions, mesh.face(edges.corner_face[uses[1]])).stableNormalized();
  return std::atan2(n.cross(m).norm(), n.dot(m)) * degrees_per_radian;
}

}  // namespace

Result<EdgeRule> parse_edge_rule(std::string_view text) {
  EdgeRule rule;
  if (text == "fresh") return EdgeRule{EdgeRule::By::fresh};
  if (text == "all") return EdgeRule{EdgeRule::By::all};
  if (text == "materials") return EdgeRule{EdgeRule::By::materials};
  if (text == "parts") return EdgeRule{EdgeRule::By::parts};
  if (text == "edges" || text.starts_with("edges ")) return EdgeRule{EdgeRule::By::chosen};
  constexpr std::string_view sharp = "sharp:";
  if (text.starts_with(sharp)) {
    rule.by = EdgeRule::By::sharp;
    const std::string_view number = text.substr(sharp.size());
    const auto [end, error] = std::from_chars(number.data(), number.data() + number.size(), rule.degrees);
    if (error == std::errc() && end == number.data() + number.size() && rule.degrees >= 0 && rule.degrees <= 180) return rule;
  }
  return Issue{fmt::format("is \"{}\", which names no edges", text.substr(0, 60)), "", {}, std::string("choose ") + edge_rule_words};
}

std::string to_text(const EdgeRule& rule) {
  switch (rule.by) {
    case EdgeRule::By::fresh: return "fresh";
    case EdgeRule::By::all: return "all";
    case EdgeRule::By::sharp: return fmt::format("sharp:{}", rule.degrees);
    case EdgeRule::By::materials: return "materials";
    case EdgeRule::By::parts: return "parts";
    case EdgeRule::By::chosen: return "edges";
  }
  return "";
}

std::string edge_rule_in_words(std::string_view text) {
  const Result<EdgeRule> rule = parse_edge_rule(text);
  if (!rule) return "unreadable";
  switch (rule->by) {
    case EdgeRule::By::fresh: return "fresh edges";
    case EdgeRule::By::all: return "all edges";
    case EdgeRule::By::sharp: return fmt::format("edges sharper than {:.4g}°", rule->degrees);
    case EdgeRule::By::materials: return "edges between materials";
    case EdgeRule::By::parts: return "edges between parts";
    case EdgeRule::By::chosen: break;
  }
  const auto count = text.find(" at ") == std::string_view::npos ? 0 : 1 + std::count(text.begin(), text.end(), ';');
  return text == "edges all" ? "all edges" : count == 1 ? "1 chosen edge" : fmt::format("{} chosen edges", count);
}

std::optional<Issue> edge_rule_fault(std::string_view text) {
  const Result<EdgeRule> rule = parse_edge_rule(text);
  return rule ? std::nullopt : std::optional(rule.issue());
}

std::vector<Index> proper_edges(const Mesh& mesh, const EdgeTable& edges, std::span<const Index> list) {
  std::vector<Index> proper;
  for (Index e : list)
    if (turn_at(mesh, edges, e).value_or(0) > flat_degrees) proper.push_back(e);
  return proper;
}

std::vector<Index> edges_by_rule(const Mesh& mesh, const EdgeTable& edges, const EdgeRule& rule, std::span<const std::array<Index, 2>> fresh) {
  std::vector<std::array<Index, 2>> wanted;
  for (const auto& [v, w] : fresh) wanted.push_back({std::min(v, w), std::max(v, w)});
  std::sort(wanted.begin(), wanted.end());
  const auto faces_differ = [&](Index e, auto&& what) {
    const auto uses = edges.corners_of(e);
    return uses.size() == 2 && what(edges.corner_face[uses[0]]) != what(edges.corner_face[uses[1]]);
  };
  std::vector<Index> list;
  for (Index e = 0; e < edges.size(); ++e) {
    bool holds = true;
    switch (rule.by) {
      case EdgeRule::By::fresh: holds = std::binary_search(wanted.begin(), wanted.end(), edges.vertices[e]); break;
      case EdgeRule::By::sharp: holds = turn_at(mesh, edges, e).value_or(-1) >= rule.degrees; break;
      case EdgeRule::By::materials: holds = !mesh.materials.empty() && faces_differ(e, [&](Index f) { return mesh.materials.of_face[f]; }); break;
      case EdgeRule::By::parts: holds = faces_differ(e, [&](Index f) { return mesh.origins.empty() ? 0 : mesh.origins[f].part; }); break;
      default: break;
    }
    if (holds) list.push_back(e);
  }
  return proper_edges(mesh, edges, list);
}

}  // namespace anvil
