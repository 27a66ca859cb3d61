// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>

#include <algorithm>
#include <iterator>

#include "core/io/formats.h"
#include "core/io/text_scanner.h"

namespace anvil {

Import read_obj(std::string_view bytes) {
  TextScanner scan(bytes, '#');
  Import result;
  Mesh& mesh = result.mesh;
  std::size_t short_faces = 0, lines_and_points = 0, free_form = 0, coloured = 0;
  std::vector<Index> polygon;
  std::vector<std::pair<Index, std::size_t>> forward;  // corner, line: vertices may follow their faces
  SlotNames slot_names(mesh.materials);
  Index slot = no_index;
  do {
    const auto keyword = scan.word_in_line();
    if (keyword == "v") {
      Vec3 p;
      for (int k = 0; k < 3; ++k) p[k] = scan.number(scan.word_in_line(), "a coordinate");
      mesh.add_vertex(p);
      // One more number is a weight, three are a colour.
      std::size_t more = 0;
      while (!scan.word_in_line().empty()) ++more;
      coloured += more >= 3;
    } else if (keyword == "f") {
      polygon.clear();
      for (auto corner = scan.word_in_line(); !corner.empty(); corner = scan.word_in_line()) {
        const auto index = scan.integer(corner.substr(0, corner.find('/')), "a vertex index");
        const auto count = static_cast<long long>(mesh.positions.size());
        const long long vertex = index < 0 ? count + index : index - 1;
        if (index == 0 || vertex < 0 || vertex >= static_cast<long long>(no_index))
          scan.fail(fmt::format("vertex index {} is out of range (1 to {})", index, count),
                    "correct the face or export again");
        if (vertex >= count)
          forward.emplace_back(static_cast<Index>(mesh.corners.size() + polygon.size()), scan.line());
        polygon.push_back(static_cast<Index>(vertex));
      }
      if (polygon.size() >= 3) {
        mesh.add_face(polygon);
        mesh.materials.of_face.push_back(slot);
      } else {
        ++short_faces;
        while (!forward.empty() && forward.back().first >= mesh.corners.size()) forward.pop_back();
      }
    } else if (keyword == "usemtl") {
      slot = slot_names.place_of(std::string(scan.rest_of_line()));
    } else if (keyword == "l" || keyword == "p") {
      ++lines_and_points;
    } else if (keyword == "surf" || keyword == "curv" || keyword == "curv2" || keyword == "bzp" || keyword == "bsp" || keyword == "cdp" || keyword == "cdc") {
      ++free_form;
    }
  } while (scan.next_line());
  for (const auto& [corner, line] : forward)
    if (mesh.corners[corner] >= mesh.positions.size())
      throw BadFile{fmt::format("line {}: vertex index {} is out of range (1 to {})", line,
                                std::size_t{mesh.corners[corner]} + 1, mesh.positions.size()),
                    "correct the face or export again"};
  if (mesh.materials.names.empty()) mesh.materials = {};
  for (Index& of_face : mesh.materials.of_face)
    if (of_face == no_index) of_face = slot_names.place_of(unnamed_slot);
  if (short_faces > 0)
    result.notes.push_back(fmt::format("{} faces with fewer than three corners were left out", short_faces));
  if (free_form > 0) result.notes.push_back(fmt::format("{} free-form curves and surfaces were left out: export them as faces", free_form));
  if (coloured > 0) result.notes.push_back(fmt::format("the colours of {} vertices were left out", coloured));
  if (lines_and_points > 0)
    result.notes.push_back(fmt::format("{} lines and points were left out", lines_and_points));
  return result;
}

std::string write_obj(const Mesh& mesh, const Control& control) {
  fmt::memory_buffer out;
  auto to = std::back_inserter(out);
  fmt::format_to(to, "# Clean Anvil, millimetres\n");
  for (const Vec3& p : mesh.positions) {
    check_stop(control);
    fmt::format_to(to, "v {} {} {}\n", p.x(), p.y(), p.z());
  }
  Index slot = no_index;
  for (std::size_t f = 0; f < mesh.face_count(); ++f) {
    check_stop(control);
    if (!mesh.materials.empty() && mesh.materials.of_face[f] != slot) {
      slot = mesh.materials.of_face[f];
      std::string name = mesh.materials.names[slot];
      std::replace_if(name.begin(), name.end(), [](unsigned char c) { return c < ' '; }, ' ');
      fmt::format_to(to, "usemtl {}\n", name);
    }
    out.push_back('f');
    for (Index v : mesh.face(f)) fmt::format_to(to, " {}", std::size_t{v} + 1);
    out.push_back('\n');
  }
  return fmt::to_string(out);
}

}  // namespace anvil
