// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>

#include <algorithm>
#include <bit>
#include <cctype>
#include <cmath>
#include <iterator>

#include "core/io/formats.h"
#include "core/io/text_scanner.h"

namespace anvil {
namespace {

std::string upper(std::string_view word) {
  std::string text(word);
  std::transform(text.begin(), text.end(), text.begin(), [](unsigned char c) { return static_cast<char>(std::toupper(c)); });
  return text;
}

/// The numbers of a binary OFF, which are big-endian.
class BigEndian {
 public:
  BigEndian(std::string_view bytes, std::size_t at) : bytes_(bytes), at_(at) {}
  std::size_t left() const { return bytes_.size() - at_; }
  std::int32_t integer(const char* what) { return std::bit_cast<std::int32_t>(word(what)); }
  double number(const char* what) {
    const float value = std::bit_cast<float>(word(what));
    if (!std::isfinite(value)) throw BadFile{fmt::format("byte {}: {} is not a finite number", at_ - 4, what), "correct it or export again"};
    return static_cast<double>(value);
  }
  void skip(std::size_t words, const char* what) {
    for (std::size_t k = 0; k < words; ++k) word(what);
  }

 private:
  std::uint32_t word(const char* what) {
    if (left() < 4) throw BadFile{fmt::format("byte {}: the file ends inside {}", bytes_.size(), what), "it was cut short: export it again"};
    std::uint32_t value = 0;
    for (int k = 0; k < 4; ++k) value = value << 8 | static_cast<unsigned char>(bytes_[at_++]);
    return value;
  }
  std::string_view bytes_;
  std::size_t at_;
};

/// @param at      behind the word BINARY
/// @param prefix  of "OFF": what each vertex has beside its place
Import read_binary(std::string_view bytes, std::size_t at, std::string_view prefix) {
  at = bytes.find('\n', at);
  if (at == std::string_view::npos) throw BadFile{"the file ends with its first line", "it was cut short: export it again"};
  BigEndian numbers(bytes, at + 1);
  const std::int32_t vertices = numbers.integer("the number of vertices"), faces = numbers.integer("the number of faces");
  numbers.integer("the number of edges");
  if (vertices < 0 || faces < 0 || static_cast<std::size_t>(vertices) > numbers.left() / 12 || static_cast<std::size_t>(faces) > numbers.left() / 8)
    throw BadFile{fmt::format("the header promises {} vertices and {} faces, more than the file can hold", vertices, faces), "correct the header or export again"};
  const auto has = [&](char c) { return prefix.find(c) != std::string_view::npos; };
  const std::size_t beside = (has('N') ? 3u : 0u) + (has('C') ? 4u : 0u) + (has('S') ? 2u : 0u);
  Import result;
  Mesh& mesh = result.mesh;
  for (std::int32_t v = 0; v < vertices; ++v) {
    Vec3 p;
    for (int k = 0; k < 3; ++k) p[k] = numbers.number("a coordinate");
    mesh.positions.push_back(p);
    numbers.skip(beside, "a vertex");
  }
  std::size_t short_faces = 0;
  std::vector<Index> polygon;
  for (std::int32_t f = 0; f < faces; ++f) {
    const std::int32_t n = numbers.integer("the number of corners");
    if (n < 0 || static_cast<std::size_t>(n) > numbers.left() / 4)
      throw BadFile{fmt::format("face {}: {} corners do not fit in the file", f + 1, n), "correct the face or export again"};
    polygon.clear();
    for (std::int32_t k = 0; k < n; ++k) {
      const std::int32_t v = numbers.integer("a vertex index");
      if (v < 0 || v >= vertices) throw BadFile{fmt::format("face {}: vertex index {} is out of range (0 to {})", f + 1, v, vertices - 1), "correct the face or export again"};
      polygon.push_back(static_cast<Index>(v));
    }
    const std::int32_t colours = numbers.integer("the number of colours");
    if (colours < 0 || static_cast<std::size_t>(colours) > numbers.left() / 4)
      throw BadFile{fmt::format("face {}: {} colours do not fit in the file", f + 1, colours), "correct the face or export again"};
    numbers.skip(static_cast<std::size_t>(colours), "a colour");
    if (polygon.size() >= 3)
      mesh.add_face(polygon);
    else
      ++short_faces;
  }
  if (short_faces > 0) result.notes.push_back(fmt::format("{} faces with fewer than three corners were left out", short_faces));
  return result;
}

/// Are there so many lines with something in them?
bool has_lines(TextScanner scan, long long count) {
  for (; count > 0 && !scan.word().empty(); --count) scan.next_line();
  return count == 0;
}

/// Goes past the number of edges, which nobody reads: in the line of the other two, in one of its own, or left out.
void skip_edge_count(TextScanner& scan) {
  if (scan.word_in_line().empty()) {
    TextScanner ahead = scan;
    if (ahead.word().empty() || !ahead.word_in_line().empty()) return;
    scan = ahead;
  }
}

}  // namespace

Import read_off(std::string_view bytes) {
  TextScanner scan(bytes, '#');
  auto word = scan.word();
  if (const std::string name = upper(word); name.ends_with("OFF")) {
    const auto prefix = name.substr(0, name.size() - 3);
    if (prefix.find_first_not_of("STCN") != std::string_view::npos)
      scan.fail(
          fmt::format("the variant \"{}\" is not a surface in three dimensions", TextScanner::shown(word)),
          "export plain OFF");
    word = scan.word();
    if (upper(word) == "BINARY") return read_binary(bytes, bytes.size() - scan.bytes_left(), prefix);
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
  skip_edge_count(scan);
  // What a line has behind a vertex or a face is colours and the like, unless lines hold several of them.
  const bool is_by_lines = has_lines([&] { TextScanner ahead = scan; ahead.next_line(); return ahead; }(), vertices + faces);
  const auto end_item = [&] {
    if (is_by_lines) scan.next_line();
  };
  end_item();
  Import result;
  Mesh& mesh = result.mesh;
  mesh.positions.reserve(static_cast<std::size_t>(vertices));
  for (long long v = 0; v < vertices; ++v) {
    Vec3 p;
    for (int k = 0; k < 3; ++k) p[k] = scan.number(scan.word(), "a coordinate");
    mesh.positions.push_back(p);
    end_item();
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
      const long long v = scan.integer(scan.word(), "a vertex index");
      if (v < 0 || v >= vertices)
        scan.fail(fmt::format("vertex index {} is out of range (0 to {})", v, vertices - 1),
                  "correct the face or export again");
      polygon.push_back(static_cast<Index>(v));
    }
    if (polygon.size() >= 3)
      mesh.add_face(polygon);
    else
      ++short_faces;
    end_item();
  }
  if (short_faces > 0)
    result.notes.push_back(fmt::format("{} faces with fewer than three corners were left out", short_faces));
  return result;
}

std::string write_off(const Mesh& mesh, const Control& control) {
  fmt::memory_buffer out;
  auto to = std::back_inserter(out);
  fmt::format_to(to, "OFF\n{} {} 0\n", mesh.positions.size(), mesh.face_count());
  for (const Vec3& p : mesh.positions) {
    check_stop(control);
    fmt::format_to(to, "{} {} {}\n", p.x(), p.y(), p.z());
  }
  for (std::size_t f = 0; f < mesh.face_count(); ++f) {
    check_stop(control);
    fmt::format_to(to, "{}", mesh.face(f).size());
    for (Index v : mesh.face(f)) fmt::format_to(to, " {}", v);
    out.push_back('\n');
  }
  return fmt::to_string(out);
}

}  // namespace anvil
