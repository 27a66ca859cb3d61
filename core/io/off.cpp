// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>

#include <iterator>

#include "core/io/formats.h"
#include "core/io/text_scanner.h"

namespace anvil {

Import read_off(std::string_view bytes) {
  TextScanner scan(bytes, '#');
  auto word = scan.word();
  if (!word.empty() && word.ends_with("OFF")) {
    const auto prefix = word.substr(0, word.size() - 3);
    if (prefix.find_first_not_of("STCN") != std::string_view::npos)
      scan.fail(
          fmt::format("the variant \"{}\" is not a surface in three dimensions", TextScanner::shown(word)),
          "export plain OFF");
    word = scan.word();
    if (word == "BINARY") scan.fail("binary OFF is not read", "export text OFF");
  }
  const long long vertices = scan.integer(word, "the number of vertices");
  const long long faces = scan.integer(scan.word(), "the number of faces");
  if (vertices < 0 || faces < 0) scan.fail("a count is negative", "correct the header or export again");
  // A vertex takes at least six bytes ("0 0 0\n"), a face at least two ("0\n").
  const auto left = static_cast<long long>(scan.bytes_left());
  if (vertices > left / 5 || faces > left / 2)
    scan.fail(fmt::format("the header promises {} vertices and {} faces, more than the file can hold",
                          vertices, faces),
              "correct the header or export again");
  scan.next_line();
  Import result;
  Mesh& mesh = result.mesh;
  mesh.positions.reserve(static_cast<std::size_t>(vertices));
  for (long long v = 0; v < vertices; ++v) {
    Vec3 p;
    p[0] = scan.number(scan.word(), "a coordinate");
    p[1] = scan.number(scan.word_in_line(), "a coordinate");
    p[2] = scan.number(scan.word_in_line(), "a coordinate");
    mesh.positions.push_back(p);
    scan.next_line();
  }
  std::size_t short_faces = 0;
  std::vector<Index> polygon;
  for (long long f = 0; f < faces; ++f) {
    const long long n = scan.integer(scan.word(), "the number of corners");
    if (n < 0 || n > static_cast<long long>(scan.bytes_left()) / 2 + 1)
      scan.fail(fmt::format("a face of {} corners does not fit in the file", n),
                "correct the face or export again");
    polygon.clear();
    for (long long k = 0; k < n; ++k) {
      const long long v = scan.integer(scan.word_in_line(), "a vertex index");
      if (v < 0 || v >= vertices)
        scan.fail(fmt::format("vertex index {} is out of range (0 to {})", v, vertices - 1),
                  "correct the face or export again");
      polygon.push_back(static_cast<Index>(v));
    }
    if (polygon.size() >= 3)
      mesh.add_face(polygon);
    else
      ++short_faces;
    scan.next_line();
  }
  if (short_faces > 0)
    result.notes.push_back(fmt::format("{} faces with fewer than three corners were left out", short_faces));
  return result;
}

std::string write_off(const Mesh& mesh) {
  fmt::memory_buffer out;
  auto to = std::back_inserter(out);
  fmt::format_to(to, "OFF\n{} {} 0\n", mesh.positions.size(), mesh.face_count());
  for (const Vec3& p : mesh.positions) fmt::format_to(to, "{} {} {}\n", p.x(), p.y(), p.z());
  for (std::size_t f = 0; f < mesh.face_count(); ++f) {
    fmt::format_to(to, "{}", mesh.face(f).size());
    for (Index v : mesh.face(f)) fmt::format_to(to, " {}", v);
    out.push_back('\n');
  }
  return fmt::to_string(out);
}

}  // namespace anvil
