// SPDX-License-Identifier: GPL-3.0-or-later
// Small meshes and helpers that several tests use.
#pragma once

#include <filesystem>
#include <fstream>
#include <numbers>

#include "core/mesh/triangulate.h"
#include "core/stock/primitive.h"
#include "job/placement.h"

namespace anvil::test {

inline constexpr double pi = std::numbers::pi;

inline Mesh stock(const char* kind, std::initializer_list<double> values) {
  return *make_mesh(Primitive::of(kind, values));
}
inline Mesh cube(double side = 2) {
  return stock("box", {side, side, side});
}

inline Mesh placed(Mesh mesh, const Vec3& position, const Vec3& angles = Vec3::Zero()) {
  const Affine m = Placement{position, angles, Vec3::Ones()}.matrix();
  for (Vec3& p : mesh.positions) p = m * p;
  return mesh;
}

inline std::shared_ptr<const Mesh> shared(Mesh mesh) {
  return std::make_shared<const Mesh>(std::move(mesh));
}

/// The mesh with its polygons cut into triangles.
inline Mesh in_triangles(const Mesh& mesh) {
  Mesh out;
  out.positions = mesh.positions;
  for (const Triangle& t : triangulate(mesh).triangles) out.add_face(t);
  return out;
}

/// The mesh without some faces.
inline Mesh without_faces(const Mesh& mesh, const std::vector<std::size_t>& gone) {
  Mesh result;
  result.positions = mesh.positions;
  for (std::size_t f = 0; f < mesh.face_count(); ++f)
    if (std::find(gone.begin(), gone.end(), f) == gone.end()) result.add_face(mesh.face(f));
  return result;
}

/// Area of a regular polygon by its circumscribed radius: n/2 r² sin(2π/n) (elementary).
inline double polygon_area(double n, double r) {
  return n / 2 * r * r * std::sin(2 * std::numbers::pi / n);
}

/// A fresh folder that is removed at the end of the test.
class TemporaryFolder {
 public:
  TemporaryFolder() {
    std::string pattern = (std::filesystem::temp_directory_path() / "anvil-test-XXXXXX").string();
    path_ = ::mkdtemp(pattern.data());
  }
  ~TemporaryFolder() {
    std::error_code ignored;
    std::filesystem::remove_all(path_, ignored);
  }
  std::filesystem::path operator/(const std::string& name) const { return path_ / name; }
  const std::filesystem::path& path() const { return path_; }
  std::size_t file_count() const {
    std::size_t n = 0;
    for ([[maybe_unused]] const auto& entry : std::filesystem::directory_iterator(path_)) ++n;
    return n;
  }

 private:
  std::filesystem::path path_;
};

inline void write_text(const std::filesystem::path& path, std::string_view text) {
  std::ofstream(path, std::ios::binary) << text;
}

inline std::string read_text(const std::filesystem::path& path) {
  std::ifstream file(path, std::ios::binary);
  return {std::istreambuf_iterator<char>(file), {}};
}

}  // namespace anvil::test
