// SPDX-License-Identifier: GPL-3.0-or-later
// Edges by a rule rather than one by one, so that a step finds them again whatever changed before it.
#pragma once

#include <optional>
#include <string>
#include <string_view>

#include "core/mesh/edges.h"
#include "core/result.h"

namespace anvil {

/// "fresh", "all", "sharp:30", "materials", "parts", or chosen ones as core/modify/find_again.h writes them ("edges at ...").
struct EdgeRule {
  enum class By { fresh, all, sharp, materials, parts, chosen } by = By::all;
  double degrees = 30;  ///< of sharp: by how much the surface turns there at least
};

Result<EdgeRule> parse_edge_rule(std::string_view text);
std::string to_text(const EdgeRule& rule);
std::string edge_rule_in_words(std::string_view text);
std::optional<Issue> edge_rule_fault(std::string_view text);
inline constexpr const char* edge_rule_words = "\"fresh\", \"all\", \"sharp:ANGLE\", \"materials\", \"parts\" or \"edges at x,y,z; x,y,z\"";

/// The edges with two faces that run it against each other and for which the rule holds, in order. Where the faces lie in one plane (turn by less
/// than a hundredth of a degree) there is nothing to finish, and the edge is left out whatever the rule says.
/// @param rule   not By::chosen: those are found by core/modify/find_again.h
/// @param fresh  vertex pairs, smaller first or not: what "fresh" means
std::vector<Index> edges_by_rule(const Mesh& mesh, const EdgeTable& edges, const EdgeRule& rule, std::span<const std::array<Index, 2>> fresh);
/// Those of a list of edges that can be finished: two faces that run it against each other, and do not lie in one plane.
std::vector<Index> proper_edges(const Mesh& mesh, const EdgeTable& edges, std::span<const Index> list);

}  // namespace anvil
