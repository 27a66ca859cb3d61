// SPDX-License-Identifier: GPL-3.0-or-later
// Outlines in a plane and paths in space, as texts that a field keeps: "0,0 40,0~6 40,20 0,20; 10,10 14,10 12,13". Loops are
// split by semicolons, each closes by itself. A number behind "~" makes the piece to the next point an arc that rises so
// far above its chord, to the right of the way; negative: to the left.
#pragma once

#include <Eigen/Core>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "core/result.h"
#include "core/types.h"

namespace anvil {

using Vec2 = Eigen::Vector2d;

struct OutlinePoint {
  Vec2 at = Vec2::Zero();
  double rise = 0;  ///< of the arc to the next point above its chord, to the right of the way; 0: straight
  bool operator==(const OutlinePoint&) const = default;
};
using OutlineLoop = std::vector<OutlinePoint>;
/// Closed loops; nothing says which lies in which.
using Outline = std::vector<OutlineLoop>;
/// A closed polygon, without a repeated last point.
using Loop2 = std::vector<Vec2>;

/// An Issue for a text that cannot be read, a loop of fewer than three points (two where one piece is an arc), one with two
/// equal points behind each other, or numbers beyond 1e7.
Result<Outline> parse_outline(std::string_view text);
/// As parse_outline reads it, with as many digits as bring the same numbers back.
std::string to_text(const Outline& outline);
/// "64 points in 2 loops".
std::string outline_in_words(std::string_view text);
std::optional<Issue> outline_fault(std::string_view text);
inline constexpr const char* outline_words = "points \"x,y x,y x,y\", loops split by \";\", an arc to the next point as \"x,y~rise\"";

/// Chains of straight pieces that lie nowhere farther from the arcs than `flatness`, corners on the arcs; at least eight
/// pieces to a full turn.
/// @param flatness  in the unit of the outline, above 0
std::vector<Loop2> flattened(const Outline& outline, double flatness);

/// Points in space, "x,y,z x,y,z"; a last "closed" leads back to the first.
struct Path {
  std::vector<Vec3> points;
  bool closed = false;
};
Result<Path> parse_path(std::string_view text);
std::string to_text(const Path& path);
std::string path_in_words(std::string_view text);
std::optional<Issue> path_fault(std::string_view text);
inline constexpr const char* path_words = "points \"x,y,z x,y,z\", and \"closed\" behind them to lead back";

}  // namespace anvil
