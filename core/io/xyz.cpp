// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cctype>
#include <charconv>
#include <cmath>
#include <iterator>
#include <limits>
#include <optional>

#include "core/io/formats.h"
#include "core/io/text_scanner.h"

namespace anvil {
namespace {

constexpr std::size_t none = std::numeric_limits<std::size_t>::max();

/// Lines of values, however they are parted: by blanks, commas or semicolons. Where there are semicolons, commas stand for points.
class Rows {
 public:
  explicit Rows(std::string_view text) : rest_(without_byte_order_mark(text)) {}

  /// The next line with something in it; what follows # or // is left out.
  bool next() {
    while (!rest_.empty()) {
      std::string_view line = rest_.substr(0, rest_.find_first_of("\r\n"));
      rest_.remove_prefix(line.size());
      if (!rest_.empty()) rest_.remove_prefix(rest_.starts_with("\r\n") ? 2 : 1);
      ++number_;
      line = line.substr(0, std::min(line.find('#'), line.find("//")));
      const bool decimal_commas = line.find(';') != std::string_view::npos;
      line_ = std::string(line);
      if (decimal_commas) std::replace(line_.begin(), line_.end(), ',', '.');
      values.clear();
      const char* const between = decimal_commas ? " \t\v\f;" : " \t\v\f,";
      for (std::size_t at = 0; (at = line_.find_first_not_of(between, at)) != std::string::npos;) {
        const std::size_t end = std::min(line_.find_first_of(between, at), line_.size());
        values.push_back(std::string_view(line_).substr(at, end - at));
        at = end;
      }
      if (!values.empty()) return true;
    }
    return false;
  }
  std::size_t number() const { return number_; }
  std::vector<std::string_view> values;

 private:
  std::string_view rest_;
  std::string line_;
  std::size_t number_ = 0;
};

/// A number, NaN among them; nothing for what is none.
std::optional<double> number_in(std::string_view word) {
  if (!word.empty() && word[0] == '+') word.remove_prefix(1);
  double value = 0;
  const auto [end, error] = std::from_chars(word.data(), word.data() + word.size(), value);
  if (word.empty() || error == std::errc::invalid_argument || end != word.data() + word.size()) return std::nullopt;
  return value;
}

/// Where in a line a point has its coordinates and its normal.
struct Columns {
  std::array<std::size_t, 3> at{0, 1, 2}, normal{3, 4, 5};
  bool named = false;
};

/// A line of names, or of words that say nothing.
Columns columns_of(const std::vector<std::string_view>& names) {
  std::array<std::size_t, 6> found;
  found.fill(none);
  static constexpr std::array<std::string_view, 6> wanted{"x", "y", "z", "nx", "ny", "nz"};
  for (std::size_t k = 0; k < names.size(); ++k) {
    std::string name;
    for (const char c : names[k])
      if (std::isalnum(static_cast<unsigned char>(c))) name += static_cast<char>(std::tolower(static_cast<unsigned char>(c)));
    for (std::size_t w = 0; w < wanted.size(); ++w)
      if (name == wanted[w] && found[w] == none) found[w] = k;
  }
  if (std::find(found.begin(), found.begin() + 3, none) != found.begin() + 3) return {};
  return {{found[0], found[1], found[2]}, {found[3], found[4], found[5]}, true};
}

}  // namespace

Import read_xyz(std::string_view bytes) {
  Rows rows(bytes);
  Import result;
  Mesh& mesh = result.mesh;
  // What follows the coordinates are normals where they are of length 1 in every line; else colours or whatever.
  constexpr double about_one = 0.02;
  constexpr std::size_t most_header_lines = 20;
  Columns columns;
  bool has_normals = true;
  std::size_t header_lines = 0, not_numbers = 0, promised = 0, counts = 0;
  while (rows.next()) {
    const auto& values = rows.values;
    const auto fail = [&](const std::string& what) { throw BadFile{fmt::format("line {}: {}", rows.number(), what), "correct it or export again"}; };
    if (values.size() == 1)
      if (const auto count = number_in(values[0]); count && *count >= 0 && *count == std::floor(*count)) {
        promised += static_cast<std::size_t>(std::min(*count, 1e15));
        ++counts;
        continue;
      }
    const bool is_words = std::none_of(values.begin(), values.end(), [](std::string_view word) { return number_in(word).has_value(); });
    if (mesh.positions.empty() && not_numbers == 0 && is_words) {
      if (++header_lines > most_header_lines) fail("it has no points in its first lines");
      if (const Columns named = columns_of(values); named.named) columns = named;
      continue;
    }
    const auto value_at = [&](std::size_t place, const char* what) {
      if (place >= values.size()) fail(fmt::format("{} is missing", what));
      const auto value = number_in(values[place]);
      if (!value) fail(fmt::format("{} should be a number, not \"{}\"", what, TextScanner::shown(values[place])));
      return *value;
    };
    Vec3 p, n = Vec3::Zero();
    for (std::size_t k = 0; k < 3; ++k) p[static_cast<Eigen::Index>(k)] = value_at(columns.at[k], "a coordinate");
    if (!p.allFinite()) {
      ++not_numbers;
      continue;
    }
    mesh.positions.push_back(p);
    for (std::size_t k = 0; k < 3 && has_normals; ++k) {
      const auto value = columns.normal[k] < values.size() ? number_in(values[columns.normal[k]]) : std::nullopt;
      has_normals = value.has_value();
      n[static_cast<Eigen::Index>(k)] = value.value_or(0);
    }
    has_normals = has_normals && std::abs(n.norm() - 1) < about_one;
    if (has_normals) mesh.normals.push_back(n.normalized());
  }
  if (!has_normals) mesh.normals = {};
  mesh.cloud = !mesh.positions.empty();
  if (not_numbers > 0) result.notes.push_back(fmt::format("{} points whose coordinates are no finite numbers were left out", not_numbers));
  if (counts > 0 && promised != mesh.positions.size() + not_numbers)
    result.notes.push_back(fmt::format("the file says that it has {} points, and {} are there", promised, mesh.positions.size() + not_numbers));
  return result;
}

std::string write_xyz(const Mesh& cloud, const Control& control) {
  std::string out;
  out.reserve((cloud.normals.empty() ? 40 : 100) * cloud.positions.size());
  for (std::size_t k = 0; k < cloud.positions.size(); ++k) {
    check_stop(control);
    const Vec3& p = cloud.positions[k];
    fmt::format_to(std::back_inserter(out), "{} {} {}", p.x(), p.y(), p.z());
    if (!cloud.normals.empty()) fmt::format_to(std::back_inserter(out), " {} {} {}", cloud.normals[k].x(), cloud.normals[k].y(), cloud.normals[k].z());
    out += '\n';
  }
  return out;
}

}  // namespace anvil
