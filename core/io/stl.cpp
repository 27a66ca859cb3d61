// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>
#include <tbb/parallel_for.h>

#include <algorithm>
#include <atomic>
#include <bit>
#include <cctype>
#include <cmath>
#include <cstring>

#include "core/io/formats.h"
#include "core/io/text_scanner.h"
#include "core/mesh/triangulate.h"
#include "core/mesh/weld.h"

namespace anvil {
namespace {

static_assert(std::endian::native == std::endian::little, "binary STL is little-endian");

constexpr std::size_t header_size = 84;
constexpr std::size_t facet_size = 50;

Mesh indexed(WeldMap map) {
  Mesh mesh;
  mesh.corners = std::move(map.id);
  mesh.face_offsets.resize(mesh.corners.size() / 3 + 1);
  for (std::size_t f = 0; f < mesh.face_offsets.size(); ++f) mesh.face_offsets[f] = static_cast<Index>(3 * f);
  return mesh;
}

Import read_binary(std::string_view bytes, std::size_t facets) {
  if (facets > (no_index - 1) / 3)
    throw BadFile{fmt::format("byte 80: {} facets are more than can be held", facets), "split the file"};
  auto corners = std::make_unique_for_overwrite<float[]>(9 * facets + 1);
  std::atomic<std::size_t> first_bad = facets;
  tbb::parallel_for(tbb::blocked_range<std::size_t>(0, facets, 8192), [&](const auto& range) {
    for (std::size_t f = range.begin(); f < range.end(); ++f) {
      float* out = corners.get() + 9 * f;
      std::memcpy(out, bytes.data() + header_size + facet_size * f + 12, 36);
      float sum = 0;  // x − x is 0 for finite x, NaN otherwise
      for (int k = 0; k < 9; ++k) sum += out[k] - out[k];
      if (sum != 0) {
        std::size_t seen = first_bad;
        while (f < seen && !first_bad.compare_exchange_weak(seen, f)) {
        }
      }
    }
  });
  if (first_bad < facets)
    throw BadFile{fmt::format("facet {} (byte {}): a coordinate is not a finite number", first_bad + 1,
                              header_size + facet_size * first_bad),
                  "remove the facet or export again"};
  WeldMap map = weld_equal(corners.get(), 3 * facets);
  const std::vector<Index> first = std::move(map.first);
  Import result{indexed(std::move(map)), {}};
  result.mesh.positions.resize(first.size());
  tbb::parallel_for(tbb::blocked_range<std::size_t>(0, first.size(), 16384), [&](const auto& range) {
    for (std::size_t v = range.begin(); v < range.end(); ++v) {
      const float* p = corners.get() + 3 * std::size_t{first[v]};
      result.mesh.positions[v] = Vec3(p[0], p[1], p[2]);
    }
  });
  const std::size_t expected = header_size + facet_size * facets;
  if (bytes.size() > expected)
    result.notes.push_back(
        fmt::format("{} bytes after the last facet were ignored", bytes.size() - expected));
  return result;
}

std::string lower(std::string_view word) {
  std::string text(word);
  std::transform(text.begin(), text.end(), text.begin(), [](unsigned char c) { return static_cast<char>(std::tolower(c)); });
  return text;
}

/// Keywords in any case, lines broken anywhere.
Import read_text(std::string_view bytes) {
  TextScanner scan(bytes);
  std::vector<Vec3> corners;
  auto expect = [&](const char* keyword) {
    const auto word = scan.word();
    if (lower(word) == keyword) return;
    if (word.empty())
      scan.fail(fmt::format("the file ends inside facet {}, before \"{}\"", corners.size() / 3 + 1, keyword), "it was cut short: export it again");
    scan.fail(fmt::format("expected \"{}\", found \"{}\"", keyword, TextScanner::shown(word)), "correct the line or export again");
  };
  auto read_facet = [&] {
    // The normal follows from the corners; files often hold nan here.
    constexpr int most_words = 8;
    std::string word;
    for (int k = 0; k < most_words && word != "outer"; ++k) word = lower(scan.word());
    if (word != "outer") scan.fail(fmt::format("facet {} has no \"outer loop\"", corners.size() / 3 + 1), "correct the line or export again");
    expect("loop");
    for (int corner = 0; corner < 3; ++corner) {
      expect("vertex");
      Vec3 p;
      for (int k = 0; k < 3; ++k) p[k] = scan.number(scan.word(), "a coordinate");
      corners.push_back(p);
    }
    expect("endloop");
    expect("endfacet");
  };
  // What follows "solid" and "endsolid" in their line is a name, up to the first facet.
  auto skip_name = [&] {
    for (auto word = scan.word_in_line(); !word.empty(); word = scan.word_in_line())
      if (lower(word) == "facet") return read_facet();
  };
  bool in_solid = false, begun = false;
  for (auto word = scan.word(); !word.empty(); word = scan.word()) {
    const std::string keyword = lower(word);
    if (keyword == "solid" || keyword == "endsolid") {
      in_solid = keyword == "solid";
      begun = true;
      skip_name();
    } else if (keyword == "facet") {
      begun = true;
      read_facet();
    } else if (!begun || word.starts_with("#") || word.starts_with("//") || word.starts_with(";")) {
      scan.next_line();  // a comment
    } else {
      scan.fail(fmt::format("expected \"facet\" or \"endsolid\", found \"{}\"", TextScanner::shown(word)),
                "check that it is an STL file");
    }
  }
  if (corners.empty()) scan.fail("the file ends before its first facet", "export it again");
  WeldMap map = weld_equal(corners);
  const std::vector<Index> first = std::move(map.first);
  Import result{indexed(std::move(map)), {}};
  for (Index c : first) result.mesh.positions.push_back(corners[c]);
  if (in_solid)
    result.notes.push_back("the closing \"endsolid\" is missing: the file may have been cut short");
  return result;
}

}  // namespace

Import read_stl(std::string_view bytes) {
  std::uint32_t facets = 0;
  if (bytes.size() >= header_size) {
    std::memcpy(&facets, bytes.data() + 80, 4);
    if (bytes.size() == header_size + facet_size * std::size_t{facets}) return read_binary(bytes, facets);
  }
  const std::string_view text = without_byte_order_mark(bytes);
  // Binary files may start with "solid" too, but they hold zero bytes within the first facet. A comment may stand first.
  constexpr std::size_t looked_at = 4096;
  const std::string begin = lower(text.substr(0, looked_at));
  const auto first = begin.find_first_not_of(" \t\r\n");
  const bool has_zero = text.substr(0, 512).find('\0') != std::string_view::npos;
  if (!has_zero && first != std::string::npos && (begin.compare(first, 5, "solid") == 0 || begin.find("facet") != std::string::npos)) return read_text(bytes);
  if (bytes.size() < header_size)
    throw BadFile{fmt::format("byte {}: the file ends inside the 84-byte STL header", bytes.size()),
                  "it was cut short or is not an STL file: export it again"};
  // Programs that write as they go leave the count for later, and may never come to it.
  const std::size_t whole = (bytes.size() - header_size) / facet_size, rest = (bytes.size() - header_size) % facet_size;
  const bool not_counted = facets == 0 || facets == 0xFFFFFFFFu;
  if (!not_counted && facets <= whole) return read_binary(bytes, facets);
  if (whole == 0)
    throw BadFile{fmt::format("byte 80: the header promises {} facets, but none is there", facets),
                  "the file was cut short or is not an STL file: export it again"};
  Import result = read_binary(bytes, whole);
  result.notes = {};
  if (!not_counted) result.notes.push_back(fmt::format("the file was cut short: of {} facets {} are missing", facets, facets - whole));
  else result.notes.push_back(fmt::format("the header does not say how many facets there are: the {} that are there were read", whole));
  if (rest > 0) result.notes.push_back(fmt::format("the last facet is not whole and was left out ({} of {} bytes)", rest, facet_size));
  return result;
}

std::string write_stl(const Mesh& mesh) {
  auto list = triangulate(mesh).triangles;
  // Two corners that round to one 32-bit point would leave a zero-length edge. Without the facet the
  // edge is collapsed, as the readers' welding does with its neighbours.
  std::erase_if(list, [&](const Triangle& t) {
    const Eigen::Vector3f a = mesh.positions[t[0]].cast<float>(), b = mesh.positions[t[1]].cast<float>(),
                          c = mesh.positions[t[2]].cast<float>();
    const bool collapsed = a == b || b == c || c == a;
    return collapsed && mesh.positions[t[0]] != mesh.positions[t[1]] &&
           mesh.positions[t[1]] != mesh.positions[t[2]] && mesh.positions[t[2]] != mesh.positions[t[0]];
  });
  std::string out(header_size + facet_size * list.size(), '\0');
  const std::string_view title = "Clean Anvil binary STL, millimetres";
  std::memcpy(out.data(), title.data(), title.size());
  const auto count = static_cast<std::uint32_t>(list.size());
  std::memcpy(out.data() + 80, &count, 4);
  tbb::parallel_for(tbb::blocked_range<std::size_t>(0, list.size(), 8192), [&](const auto& range) {
    for (std::size_t f = range.begin(); f < range.end(); ++f) {
      const Vec3 &a = mesh.positions[list[f][0]], &b = mesh.positions[list[f][1]],
                 &c = mesh.positions[list[f][2]];
      const Vec3 normal = (b - a).cross(c - a).stableNormalized();
      float record[12];
      int k = 0;
      for (const Vec3& v : {normal, a, b, c})
        for (int axis = 0; axis < 3; ++axis) record[k++] = static_cast<float>(v[axis]);
      std::memcpy(out.data() + header_size + facet_size * f, record, sizeof record);
    }
  });
  return out;
}

}  // namespace anvil
