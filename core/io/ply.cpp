// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>

#include <algorithm>
#include <bit>
#include <cctype>
#include <cmath>
#include <cstring>
#include <limits>
#include <optional>

#include "core/io/formats.h"
#include "core/io/text_scanner.h"

namespace anvil {
namespace {

enum class Scalar { i8, u8, i16, u16, i32, u32, i64, u64, f32, f64 };

std::optional<Scalar> scalar_named(std::string_view name) {
  static constexpr std::pair<std::string_view, Scalar> names[] = {
      {"char", Scalar::i8},   {"int8", Scalar::i8},     {"uchar", Scalar::u8},   {"uint8", Scalar::u8},
      {"short", Scalar::i16}, {"int16", Scalar::i16},   {"ushort", Scalar::u16}, {"uint16", Scalar::u16},
      {"int", Scalar::i32},   {"int32", Scalar::i32},   {"uint", Scalar::u32},   {"uint32", Scalar::u32},
      {"int64", Scalar::i64}, {"uint64", Scalar::u64}, {"longlong", Scalar::i64}, {"ulonglong", Scalar::u64},
      {"float", Scalar::f32}, {"float32", Scalar::f32}, {"double", Scalar::f64}, {"float64", Scalar::f64}};
  for (const auto& [known, type] : names)
    if (known == name) return type;
  return std::nullopt;
}

std::size_t size_of(Scalar type) {
  switch (type) {
    case Scalar::i8:
    case Scalar::u8:
      return 1;
    case Scalar::i16:
    case Scalar::u16:
      return 2;
    case Scalar::i32:
    case Scalar::u32:
    case Scalar::f32:
      return 4;
    case Scalar::i64:
    case Scalar::u64:
    case Scalar::f64:
      return 8;
  }
  return 8;
}

struct Property {
  std::string name;
  Scalar type;
  std::optional<Scalar> count_type;  // set for lists
};

struct Element {
  std::string name;
  std::size_t count;
  std::vector<Property> properties;
};

/// One value after the other, whatever the encoding; numbers may be no finite ones.
class Values {
 public:
  virtual ~Values() = default;
  virtual double next(Scalar type, const std::string& what) = 0;
  virtual std::size_t bytes_left() const = 0;
};

class TextValues : public Values {
 public:
  explicit TextValues(TextScanner& scan) : scan_(scan) {}
  double next(Scalar, const std::string& what) override {
    const std::string_view word = scan_.word();
    if (const auto number = TextScanner::maybe_number(word)) return *number;
    const auto is = [&](std::string_view name) { return word.size() >= name.size() && std::equal(name.begin(), name.end(), word.end() - static_cast<std::ptrdiff_t>(name.size()), [](char a, char b) { return a == std::tolower(static_cast<unsigned char>(b)); }); };
    if (is("nan") || is("inf") || is("ind")) return std::numeric_limits<double>::quiet_NaN();
    return scan_.number(word, what.c_str());
  }
  std::size_t bytes_left() const override { return scan_.bytes_left(); }

 private:
  TextScanner& scan_;
};

class BinaryValues : public Values {
 public:
  BinaryValues(std::string_view bytes, std::size_t offset, bool swap)
      : bytes_(bytes), at_(offset), swap_(swap) {}
  double next(Scalar type, const std::string& what) override {
    switch (type) {
      case Scalar::i8:
        return take<std::int8_t>(what);
      case Scalar::u8:
        return take<std::uint8_t>(what);
      case Scalar::i16:
        return take<std::int16_t>(what);
      case Scalar::u16:
        return take<std::uint16_t>(what);
      case Scalar::i32:
        return take<std::int32_t>(what);
      case Scalar::u32:
        return take<std::uint32_t>(what);
      case Scalar::i64:
        return static_cast<double>(take<std::int64_t>(what));
      case Scalar::u64:
        return static_cast<double>(take<std::uint64_t>(what));
      case Scalar::f32:
        return static_cast<double>(take<float>(what));
      case Scalar::f64:
        return take<double>(what);
    }
    return 0;
  }
  std::size_t bytes_left() const override { return bytes_.size() - at_; }

 private:
  template <class T>
  T take(const std::string& what) {
    if (bytes_left() < sizeof(T))
      throw BadFile{fmt::format("byte {}: the file ends inside {}", bytes_.size(), what),
                    "it was cut short: export it again"};
    std::array<char, sizeof(T)> raw;
    std::memcpy(raw.data(), bytes_.data() + at_, sizeof(T));
    at_ += sizeof(T);
    if (swap_) std::reverse(raw.begin(), raw.end());
    return std::bit_cast<T>(raw);
  }
  std::string_view bytes_;
  std::size_t at_;
  bool swap_;
};

struct Header {
  std::string encoding;
  std::vector<Element> elements;
  std::size_t unknown_lines = 0;
};

Header read_header(TextScanner& scan) {
  Header header;
  if (scan.word() != "ply") scan.fail("a PLY file starts with \"ply\"", "check that it is a PLY file");
  for (;;) {
    const std::string keyword(scan.word());
    if (keyword.empty()) scan.fail("the header has no end_header", "it was cut short: export it again");
    if (keyword == "end_header") break;
    if (keyword == "format") {
      header.encoding = scan.word_in_line();
    } else if (keyword == "element") {
      const std::string name(scan.word_in_line());
      const long long count = scan.integer(scan.word_in_line(), "the element count");
      if (count < 0) scan.fail("an element count is negative", "correct the header or export again");
      header.elements.push_back({name, static_cast<std::size_t>(count), {}});
    } else if (keyword == "property") {
      if (header.elements.empty())
        scan.fail("a property stands before any element", "correct the header or export again");
      std::string type(scan.word_in_line());
      Property property;
      if (type == "list") {
        property.count_type = scalar_named(scan.word_in_line());
        if (!property.count_type) scan.fail("a list's count has no known type", "export again");
        type = scan.word_in_line();
      }
      const auto scalar = scalar_named(type);
      if (!scalar)
        scan.fail(fmt::format("\"{}\" is not a PLY type", TextScanner::shown(type)),
                  "correct the header or export again");
      property.type = *scalar;
      property.name = scan.word_in_line();
      header.elements.back().properties.push_back(property);
    } else if (keyword != "comment" && keyword != "obj_info") {
      ++header.unknown_lines;  // some exporters forget to mark their comments
    }
    scan.next_line();
  }
  return header;
}

/// Refuses counts that the rest of the file cannot hold, before anything is allocated for them.
void check_room(const Element& element, bool text, std::size_t left) {
  std::size_t least = 0;
  for (const Property& p : element.properties) least += text ? 2 : size_of(p.count_type.value_or(p.type));
  if (element.count > 0 && (least == 0 || element.count > left / least + 1))
    throw BadFile{fmt::format("the header promises {} of element \"{}\", more than the file can hold",
                              element.count, element.name),
                  "it was cut short or damaged: export it again"};
  if (element.count >= no_index)
    throw BadFile{fmt::format("{} of element \"{}\" are more than can be held", element.count, element.name),
                  "split the file"};
}

/// Every three corners that follow each other are a triangle, each other one turned over.
void add_strip(const std::vector<Index>& strip, Mesh& mesh) {
  for (std::size_t k = 2; k < strip.size(); ++k) {
    const Index a = strip[k - 2], b = strip[k - 1], c = strip[k];
    if (a == b || b == c || c == a) continue;  // where a strip turns
    if (k % 2 == 0)
      mesh.add_face({a, b, c});
    else
      mesh.add_face({b, a, c});
  }
}

/// Leaves out vertices, and the faces that have them. @return how many faces
std::size_t leave_out(const std::vector<char>& out, Mesh& mesh) {
  Mesh kept;
  std::vector<Index> number(mesh.positions.size(), no_index);
  for (Index v = 0; v < mesh.positions.size(); ++v) {
    if (out[v]) continue;
    number[v] = kept.add_vertex(mesh.positions[v]);
    if (!mesh.normals.empty()) kept.normals.push_back(mesh.normals[v]);
  }
  std::vector<Index> ring;
  for (std::size_t f = 0; f < mesh.face_count(); ++f) {
    ring.clear();
    for (Index v : mesh.face(f)) ring.push_back(number[v]);
    if (std::find(ring.begin(), ring.end(), no_index) == ring.end()) kept.add_face(ring);
  }
  const std::size_t gone = mesh.face_count() - kept.face_count();
  mesh = std::move(kept);
  return gone;
}

}  // namespace

Import read_ply(std::string_view bytes) {
  TextScanner scan(bytes);
  const Header header = read_header(scan);
  const bool text = header.encoding == "ascii";
  std::unique_ptr<Values> values;
  if (text) {
    values = std::make_unique<TextValues>(scan);
  } else if (header.encoding == "binary_little_endian" || header.encoding == "binary_big_endian") {
    const auto line_end = bytes.find_first_of("\r\n", bytes.size() - scan.bytes_left());
    if (line_end == std::string_view::npos)
      scan.fail("the file ends with its header", "it was cut short: export it again");
    // As the first line ends; what follows a lone \r may be a number that begins like \n.
    const auto first_end = bytes.find_first_of("\r\n");
    const std::size_t ending = bytes.substr(line_end).starts_with("\r\n") && bytes.substr(first_end).starts_with("\r\n") ? 2 : 1;
    values = std::make_unique<BinaryValues>(bytes, line_end + ending, header.encoding == "binary_big_endian");
  } else {
    throw BadFile{fmt::format("line 2: unknown encoding \"{}\"", TextScanner::shown(header.encoding)),
                  "export as ascii or binary_little_endian"};
  }

  Import result;
  Mesh& mesh = result.mesh;
  std::size_t short_faces = 0, vertex_count = 0;  // faces may stand before vertices
  for (const Element& element : header.elements)
    if (element.name == "vertex") vertex_count = element.count;
  std::vector<Index> polygon;
  std::vector<char> nowhere;  // vertices whose coordinates are no finite numbers
  for (const Element& element : header.elements) {
    check_room(element, text, values->bytes_left());
    const bool is_vertex = element.name == "vertex", is_strip = element.name == "tristrips", is_face = element.name == "face" || is_strip;
    // Where a value of a vertex goes; -1: nowhere.
    std::vector<int> coordinate, normal;
    for (const Property& property : element.properties) {
      static constexpr std::array<std::string_view, 3> axes{"x", "y", "z"}, normals{"nx", "ny", "nz"};
      const auto place = [&](const auto& names) {
        const auto it = std::find(names.begin(), names.end(), property.name);
        return is_vertex && !property.count_type && it != names.end() ? static_cast<int>(it - names.begin()) : -1;
      };
      coordinate.push_back(place(axes));
      normal.push_back(place(normals));
    }
    const bool has_normals = std::count_if(normal.begin(), normal.end(), [](int k) { return k >= 0; }) == 3;
    if (is_vertex) {
      for (const char* axis : {"x", "y", "z"})
        if (std::none_of(element.properties.begin(), element.properties.end(),
                         [&](const Property& p) { return p.name == axis && !p.count_type; }))
          throw BadFile{fmt::format("the header gives its vertices no {} coordinate", axis), "export again"};
      mesh.positions.reserve(element.count);
    }
    for (std::size_t i = 0; i < element.count; ++i) {
      Vec3 p(0, 0, 0), n(0, 0, 0);
      for (std::size_t which = 0; which < element.properties.size(); ++which) {
        const Property& property = element.properties[which];
        const std::string what = fmt::format("{} {} of {} {}", property.name, "value", element.name, i + 1);
        if (!property.count_type) {
          const double value = values->next(property.type, what);
          if (coordinate[which] >= 0) p[coordinate[which]] = value;
          if (normal[which] >= 0) n[normal[which]] = value;
          continue;
        }
        const double count = values->next(*property.count_type, what);
        const std::size_t least = text ? 2 : size_of(property.type);
        if (count < 0 || count != std::floor(count) ||
            count > static_cast<double>(values->bytes_left() / least + 1))
          throw BadFile{
              fmt::format("{} {}: a list of {} entries does not fit in the file", element.name, i + 1, count),
              "it was cut short or damaged: export it again"};
        const bool corners =
            is_face && (property.name == "vertex_indices" || property.name == "vertex_index");
        polygon.clear();
        for (double k = 0; k < count; ++k) {
          const double index = values->next(property.type, what);
          if (!corners) continue;
          if (is_strip && index < 0) {  // the next strip begins
            add_strip(polygon, mesh);
            polygon.clear();
            continue;
          }
          if (index < 0 || index >= static_cast<double>(vertex_count) || index != std::floor(index))
            throw BadFile{fmt::format("face {}: vertex index {} is out of range (0 to {})", i + 1, index,
                                      static_cast<double>(vertex_count) - 1),
                          "correct the face or export again"};
          polygon.push_back(static_cast<Index>(index));
        }
        if (!corners) continue;
        if (is_strip)
          add_strip(polygon, mesh);
        else if (polygon.size() >= 3)
          mesh.add_face(polygon);
        else
          ++short_faces;
      }
      if (!is_vertex) continue;
      mesh.positions.push_back(p);
      if (!p.allFinite()) nowhere.resize(mesh.positions.size(), 0), nowhere.back() = 1;
      if (has_normals) mesh.normals.push_back(n.stableNormalized());
    }
  }
  if (!nowhere.empty()) {
    nowhere.resize(mesh.positions.size(), 0);
    const auto count = std::count(nowhere.begin(), nowhere.end(), 1);
    const std::size_t faces = leave_out(nowhere, mesh);
    result.notes.push_back(fmt::format("{} points whose coordinates are no finite numbers were left out", count));
    if (faces > 0) result.notes.push_back(fmt::format("{} faces with such corners were left out", faces));
  }
  mesh.cloud = mesh.empty() && !mesh.positions.empty();
  // A point without a normal has no side, and then none of them can be gone by.
  if (!mesh.cloud || std::any_of(mesh.normals.begin(), mesh.normals.end(), [](const Vec3& n) { return n == Vec3::Zero(); })) mesh.normals = {};
  if (header.unknown_lines > 0)
    result.notes.push_back(fmt::format("{} unknown header lines were ignored", header.unknown_lines));
  if (short_faces > 0)
    result.notes.push_back(fmt::format("{} faces with fewer than three corners were left out", short_faces));
  return result;
}

std::string write_ply(const Mesh& mesh) {
  std::size_t largest = 0;
  for (std::size_t f = 0; f < mesh.face_count(); ++f) largest = std::max(largest, mesh.face(f).size());
  const bool small = largest < 256, has_normals = !mesh.normals.empty();
  std::string out = fmt::format(
      "ply\nformat binary_little_endian 1.0\ncomment Clean Anvil, millimetres\nelement vertex {}\n"
      "property double x\nproperty double y\nproperty double z\n{}",
      mesh.positions.size(), has_normals ? "property double nx\nproperty double ny\nproperty double nz\n" : "");
  if (!mesh.cloud) out += fmt::format("element face {}\nproperty list {} uint vertex_indices\n", mesh.face_count(), small ? "uchar" : "uint");
  out += "end_header\n";
  out.reserve(out.size() + 48 * mesh.positions.size() + 4 * (mesh.face_count() + mesh.corners.size()));
  auto put = [&](const auto& value) { out.append(reinterpret_cast<const char*>(&value), sizeof value); };
  for (std::size_t v = 0; v < mesh.positions.size(); ++v) {
    for (int k = 0; k < 3; ++k) put(mesh.positions[v][k]);
    for (int k = 0; k < 3 && has_normals; ++k) put(mesh.normals[v][k]);
  }
  for (std::size_t f = 0; f < mesh.face_count(); ++f) {
    const auto face = mesh.face(f);
    if (small)
      put(static_cast<std::uint8_t>(face.size()));
    else
      put(static_cast<std::uint32_t>(face.size()));
    for (Index v : face) put(v);
  }
  return out;
}

}  // namespace anvil
