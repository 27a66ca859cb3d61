// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/outline.h"

#include <fmt/format.h>

#include <algorithm>
#include <charconv>
#include <cmath>
#include <numbers>

namespace anvil {
namespace {

constexpr double farthest = 1e7;

Issue unread(std::string what, const char* words) { return {std::move(what), "", {}, std::string("give ") + words}; }

bool is_space(char c) { return c == ' ' || c == '\n' || c == '\t' || c == '\r'; }

/// The next word, up to a space; empty at the end.
std::string_view next_word(std::string_view& rest) {
  while (!rest.empty() && is_space(rest.front())) rest.remove_prefix(1);
  std::size_t size = 0;
  while (size < rest.size() && !is_space(rest[size])) ++size;
  const std::string_view word = rest.substr(0, size);
  rest.remove_prefix(size);
  return word;
}

bool read_number(std::string_view& rest, double& number) {
  const auto [end, error] = std::from_chars(rest.data(), rest.data() + rest.size(), number);
  if (error != std::errc() || !std::isfinite(number) || std::abs(number) > farthest) return false;
  rest.remove_prefix(static_cast<std::size_t>(end - rest.data()));
  return true;
}

/// "x,y" or "x,y,z" at the beginning of a word.
template <int size>
bool read_point(std::string_view& word, Eigen::Matrix<double, size, 1>& point) {
  for (int k = 0; k < size; ++k) {
    if (k > 0) {
      if (!word.starts_with(',')) return false;
      word.remove_prefix(1);
    }
    if (!read_number(word, point[k])) return false;
  }
  return true;
}

Result<OutlineLoop> parse_loop(std::string_view text) {
  OutlineLoop loop;
  for (std::string_view word = next_word(text); !word.empty(); word = next_word(text)) {
    const std::string_view whole = word;
    OutlinePoint point;
    bool good = read_point<2>(word, point.at);
    if (good && word.starts_with('~')) {
      word.remove_prefix(1);
      good = read_number(word, point.rise);
    }
    if (!good || !word.empty()) return unread(fmt::format("has \"{}\", which is no point", whole.substr(0, 40)), outline_words);
    loop.push_back(point);
  }
  const bool has_arc = std::any_of(loop.begin(), loop.end(), [](const OutlinePoint& p) { return p.rise != 0; });
  if (loop.size() < (has_arc ? 2u : 3u)) return unread(fmt::format("has a loop of {} points, which encloses nothing", loop.size()), outline_words);
  for (std::size_t k = 0; k < loop.size(); ++k)
    if (loop[k].at == loop[(k + 1) % loop.size()].at)
      return unread(fmt::format("passes {:.6g},{:.6g} twice in a row", loop[k].at.x(), loop[k].at.y()), outline_words);
  return loop;
}

/// The points between two ends of an arc, those left out.
void add_arc(Loop2& loop, const Vec2& from, const Vec2& to, double rise, double flatness) {
  const Vec2 chord = to - from;
  const double half = chord.norm() / 2, height = std::abs(rise);
  const double radius = (half * half + height * height) / (2 * height);
  // Half of the angle that the arc spans; more than a right one where it rises higher than its radius.
  const double half_angle = 2 * std::atan2(height, half);
  const double most = flatness < radius ? 2 * std::acos(1 - flatness / radius) : std::numbers::pi;
  const double step = std::min(most, std::numbers::pi / 4);
  constexpr double max_pieces = 4096;
  const auto pieces = static_cast<int>(std::clamp(std::ceil(2 * half_angle / step), 1.0, max_pieces));
  const Vec2 along = chord / (2 * half), right = Vec2(along.y(), -along.x()) * (rise < 0 ? -1 : 1);
  const Vec2 centre = (from + to) / 2 + right * (height - radius);
  for (int k = 1; k < pieces; ++k) {
    const double angle = half_angle * (2.0 * k / pieces - 1);
    loop.push_back(centre + radius * (std::sin(angle) * along + std::cos(angle) * right));
  }
}

}  // namespace

Result<Outline> parse_outline(std::string_view text) {
  Outline outline;
  while (true) {
    const auto end = text.find(';');
    Result<OutlineLoop> loop = parse_loop(text.substr(0, end));
    if (!loop) return loop.issue();
    outline.push_back(std::move(*loop));
    if (end == std::string_view::npos) return outline;
    text.remove_prefix(end + 1);
  }
}

std::string to_text(const Outline& outline) {
  std::string text;
  for (const OutlineLoop& loop : outline) {
    if (!text.empty()) text += "; ";
    for (std::size_t k = 0; k < loop.size(); ++k) {
      text += fmt::format("{}{},{}", k == 0 ? "" : " ", loop[k].at.x(), loop[k].at.y());
      if (loop[k].rise != 0) text += fmt::format("~{}", loop[k].rise);
    }
  }
  return text;
}

std::string outline_in_words(std::string_view text) {
  const Result<Outline> outline = parse_outline(text);
  if (!outline) return "unreadable";
  std::size_t points = 0;
  for (const OutlineLoop& loop : *outline) points += loop.size();
  return outline->size() == 1 ? fmt::format("{} points", points) : fmt::format("{} points in {} loops", points, outline->size());
}

std::optional<Issue> outline_fault(std::string_view text) {
  const Result<Outline> outline = parse_outline(text);
  return outline ? std::nullopt : std::optional(outline.issue());
}

std::vector<Loop2> flattened(const Outline& outline, double flatness) {
  std::vector<Loop2> loops;
  for (const OutlineLoop& loop : outline) {
    Loop2 flat;
    for (std::size_t k = 0; k < loop.size(); ++k) {
      flat.push_back(loop[k].at);
      if (loop[k].rise != 0) add_arc(flat, loop[k].at, loop[(k + 1) % loop.size()].at, loop[k].rise, flatness);
    }
    loops.push_back(std::move(flat));
  }
  return loops;
}

Result<Path> parse_path(std::string_view text) {
  Path path;
  for (std::string_view word = next_word(text); !word.empty(); word = next_word(text)) {
    if (word == "closed" && next_word(text).empty() && path.points.size() > 2) {
      path.closed = true;
      break;
    }
    const std::string_view whole = word;
    Vec3 point;
    if (!read_point<3>(word, point) || !word.empty()) return unread(fmt::format("has \"{}\", which is no point", whole.substr(0, 40)), path_words);
    if (path.points.empty() || point != path.points.back()) path.points.push_back(point);
  }
  return path;
}

std::string to_text(const Path& path) {
  std::string text;
  for (const Vec3& p : path.points) text += fmt::format("{}{},{},{}", text.empty() ? "" : " ", p.x(), p.y(), p.z());
  return path.closed ? text + " closed" : text;
}

std::string path_in_words(std::string_view text) {
  const Result<Path> path = parse_path(text);
  if (!path) return "unreadable";
  return path->points.empty() ? "none" : fmt::format("{} points{}", path->points.size(), path->closed ? ", closed" : "");
}

std::optional<Issue> path_fault(std::string_view text) {
  const Result<Path> path = parse_path(text);
  return path ? std::nullopt : std::optional(path.issue());
}

}  // namespace anvil
