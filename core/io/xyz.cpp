// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>

#include <cmath>
#include <iterator>
#include <optional>

#include "core/io/formats.h"
#include "core/io/text_scanner.h"

namespace anvil {

Import read_xyz(std::string_view bytes) {
  TextScanner scan(bytes, '#');
  Import result;
  Mesh& mesh = result.mesh;
  // What follows the coordinates are normals where they are of length 1 in every line; else colours or whatever.
  constexpr double about_one = 0.02;
  bool has_normals = true;
  for (std::string_view word = scan.word(); !word.empty(); word = scan.word()) {
    Vec3 p, n;
    p[0] = scan.number(word, "a coordinate");
    p[1] = scan.number(scan.word_in_line(), "a coordinate");
    p[2] = scan.number(scan.word_in_line(), "a coordinate");
    mesh.positions.push_back(p);
    for (std::size_t k = 0; k < 3 && has_normals; ++k) {
      const std::optional<double> value = scan.maybe_number(scan.word_in_line());
      has_normals = value.has_value();
      n[static_cast<Eigen::Index>(k)] = value.value_or(0);
    }
    has_normals = has_normals && std::abs(n.norm() - 1) < about_one;
    if (has_normals) mesh.normals.push_back(n.normalized());
    scan.next_line();
  }
  if (!has_normals) mesh.normals = {};
  mesh.cloud = !mesh.positions.empty();
  return result;
}

std::string write_xyz(const Mesh& cloud) {
  std::string out;
  out.reserve((cloud.normals.empty() ? 40 : 100) * cloud.positions.size());
  for (std::size_t k = 0; k < cloud.positions.size(); ++k) {
    const Vec3& p = cloud.positions[k];
    fmt::format_to(std::back_inserter(out), "{} {} {}", p.x(), p.y(), p.z());
    if (!cloud.normals.empty()) fmt::format_to(std::back_inserter(out), " {} {} {}", cloud.normals[k].x(), cloud.normals[k].y(), cloud.normals[k].z());
    out += '\n';
  }
  return out;
}

}  // namespace anvil
