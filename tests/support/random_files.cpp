// SPDX-License-Identifier: GPL-3.0-or-later
#include "tests/support/random_files.h"

#include <fmt/format.h>

#include <cmath>
#include <cstring>
#include <map>
#include <random>

#include "core/boolean/combine.h"
#include "core/io/mesh_file.h"
#include "tests/support/dice.h"
#include "tests/support/meshes.h"
#include "tests/support/random_solids.h"
#include "tests/support/referee.h"

namespace anvil::test {
namespace {

double between(Random& random, double low, double high) { return std::uniform_real_distribution<double>(low, high)(random); }

/// A box with rounded edges and corners: the octants of a faceted ball, drawn apart.
Mesh rounded_box(const Vec3& half, double radius, int segments) {
  std::vector<std::pair<double, int>> rows, columns;  // angle, which side
  for (int side : {-1, 1})
    for (int k = 0; k <= segments; ++k) rows.emplace_back(90.0 * k / segments - (side < 0 ? 90 : 0), side);
  for (int quarter = 0; quarter < 4; ++quarter)
    for (int k = 0; k <= segments; ++k) columns.emplace_back(90.0 * quarter + 90.0 * k / segments, quarter);
  Mesh mesh;
  auto cosine = [](double degrees) { return std::abs(std::remainder(degrees, 180)) == 90 ? 0 : std::cos(degrees * std::numbers::pi / 180); };
  auto sine = [&](double degrees) { return cosine(90 - degrees); };
  std::map<std::array<double, 3>, Index> known;
  std::vector<Index> at;
  for (const auto& [latitude, z] : rows)
    for (const auto& [longitude, quarter] : columns) {
      const double x = quarter == 0 || quarter == 3 ? 1 : -1, y = quarter < 2 ? 1 : -1;
      const Vec3 p = radius * Vec3(cosine(latitude) * cosine(longitude), cosine(latitude) * sine(longitude), sine(latitude)) +
                     Vec3(x * half.x(), y * half.y(), z * half.z());
      const auto [it, fresh] = known.try_emplace({p.x(), p.y(), p.z()}, static_cast<Index>(mesh.positions.size()));
      if (fresh) mesh.add_vertex(p);
      at.push_back(it->second);
    }
  const std::size_t n = columns.size();
  auto add = [&](std::vector<Index> face) {
    std::vector<Index> corners;
    for (std::size_t k = 0; k < face.size(); ++k)
      if (face[k] != face[(k + 1) % face.size()]) corners.push_back(face[k]);
    if (corners.size() > 2) mesh.add_face(corners);
  };
  for (std::size_t r = 0; r + 1 < rows.size(); ++r)
    for (std::size_t c = 0; c < n; ++c)
      add({at[r * n + c], at[r * n + (c + 1) % n], at[(r + 1) * n + (c + 1) % n], at[(r + 1) * n + c]});
  std::vector<Index> bottom, top;
  for (std::size_t c = 0; c < n; ++c) bottom.push_back(at[n - 1 - c]), top.push_back(at[(rows.size() - 1) * n + c]);
  add(bottom);
  add(top);
  return mesh;
}

Mesh body(Random& random) {
  switch (below(random, 4)) {
    case 0: return stock("box", {between(random, 2, 9), between(random, 2, 9), between(random, 2, 9)});
    case 1: return stock("cylinder", {between(random, 2, 9), between(random, 2, 9), 12.0 + 4 * below(random, 4)});
    case 2: return stock("sphere", {between(random, 2, 9), 16, 10});
    default: return rounded_box({between(random, 1, 3), between(random, 1, 3), between(random, 1, 3)}, between(random, 0.2, 2), 2 + below(random, 4));
  }
}

double size_of(const Mesh& mesh) { return bounds(mesh).diagonal(); }

Mesh combined(const Mesh& a, const Mesh& b, Operation operation, std::optional<double> contact) {
  const auto result = combine({{shared(a), "A"}, {shared(b), "B", operation}}, {}, {contact});
  return result ? result->mesh : Mesh();
}

Operation any_of_three(Random& random) {
  return std::array{Operation::unite, Operation::difference, Operation::intersection}[static_cast<std::size_t>(below(random, 3))];
}

/// Reads a binary STL as the plainest reader would: bit-equal corners are one vertex.
Mesh plain_stl(const std::filesystem::path& path) {
  std::ifstream in(path, std::ios::binary);
  const std::string bytes(std::istreambuf_iterator<char>(in), {});
  Mesh mesh;
  std::map<std::array<float, 3>, Index> known;
  for (std::size_t at = 84; at + 50 <= bytes.size(); at += 50) {
    std::array<Index, 3> t{};
    for (std::size_t k = 0; k < 3; ++k) {
      std::array<float, 3> p{};
      std::memcpy(p.data(), bytes.data() + at + 12 + 12 * k, 12);
      for (float& x : p) x += 0.0f;  // one zero
      const auto [it, fresh] = known.try_emplace(p, static_cast<Index>(mesh.positions.size()));
      if (fresh) mesh.add_vertex({p[0], p[1], p[2]});
      t[k] = it->second;
    }
    mesh.add_face(t);
  }
  return mesh;
}

}  // namespace

Mesh touching_boxes(unsigned seed) {
  Random random(seed);
  std::vector<Operand> operands;
  const double unit = below(random, 2) == 0 ? 1 : 1.0 / 3;
  const int count = 2 + below(random, 8);
  const Vec3 angles = below(random, 3) == 0 ? Vec3(30.0 * below(random, 12), 15.0 * below(random, 24), 0) : Vec3(0, 0, 0);
  for (int k = 0; k < count; ++k) {
    const Vec3 size(1 + below(random, 2), 1 + below(random, 2), 1 + below(random, 2));
    Vec3 low(below(random, 4), below(random, 4), below(random, 4));
    const Mesh box = placed(stock("box", {size.x() * unit, size.y() * unit, size.z() * unit}), (low + size / 2) * unit);
    operands.push_back({shared(placed(box, Vec3::Zero(), angles)), "box", k > 0 && below(random, 4) == 0 ? Operation::difference : Operation::unite});
  }
  const auto result = combine(operands);
  return result ? result->mesh : Mesh();
}

Mesh shifted_fillets(unsigned seed) {
  Random random(seed);
  const Mesh one = rounded_box({between(random, 1, 5), between(random, 1, 5), between(random, 1, 5)}, between(random, 0.1, 2), 2 + below(random, 7));
  const Vec3 angles = below(random, 2) == 0 ? Vec3(0, 0, 0) : Vec3(between(random, 0, 90), between(random, 0, 90), 0);
  Vec3 by = Vec3::Zero();
  const Vec3 size = bounds(one).size();
  for (int k = 0; k < 3; ++k)
    if (below(random, 2) == 0) by[k] = size[k] / 4;
  if (below(random, 3) == 0) by += size_of(one) * 3e-8 * Vec3(between(random, -1, 1), between(random, -1, 1), between(random, -1, 1));
  const Affine turn = Placement{Vec3::Zero(), angles, Vec3::Ones()}.matrix();
  Mesh a = one, b = one;
  for (Vec3& p : a.positions) p = turn * p;
  for (Vec3& p : b.positions) p = turn * (p + by);
  return combined(a, b, any_of_three(random), below(random, 2) == 0 ? std::optional<double>() : 0);
}

Mesh thin_skins(unsigned seed) {
  Random random(seed);
  const Mesh one = body(random);
  const double thickness = size_of(one) * std::pow(10, between(random, -9, -5));
  const Vec3 direction = Vec3(between(random, -1, 1), between(random, -1, 1), between(random, -1, 1)).normalized();
  Mesh other = one;
  switch (below(random, 3)) {
    case 0:
      for (Vec3& p : other.positions) p += thickness * direction;
      break;
    case 1:
      for (Vec3& p : other.positions) p *= 1 + thickness / size_of(one);
      break;
    default: {
      const Eigen::AngleAxisd turn(thickness / size_of(one), direction);
      for (Vec3& p : other.positions) p = turn * p;
    }
  }
  // Without contact, so that the skins stay.
  return combined(one, other, any_of_three(random), 0);
}

Mesh random_result(unsigned seed) {
  const auto [a, b] = random_pair(seed);
  return combined(a, b, std::array{Operation::unite, Operation::difference, Operation::intersection}[seed % 3], 0);
}

std::string what_is_wrong_with_file(const Mesh& mesh, const std::string& extension) {
  const TemporaryFolder folder;
  const auto path = folder / ("out" + extension);
  std::vector<std::string> notes;
  const Box3 box = bounds(mesh);
  const double step = std::ldexp(std::max(box.lo.cwiseAbs().maxCoeff(), box.hi.cwiseAbs().maxCoeff()), -23);
  const double volume = signed_volume(mesh), area = surface_area(mesh);
  const double of_sums = 1e-16 * std::pow(box.diagonal(), 3);  // what adding up tetrahedra leaves of nothing
  const auto bytes = write_mesh(mesh, path, &notes);
  if (!bytes) {
    const bool thin = bytes.issue().what.find("thinner") != std::string::npos && volume < 8 * step * area + of_sums;
    return thin ? "" : bytes.issue().message();
  }
  Mesh back;
  if (extension == ".stl") {
    back = plain_stl(path);
  } else {
    auto read = read_mesh(path);
    if (!read) return read.issue().message();
    back = std::move(read->mesh);
  }
  std::string told;
  double opened = 0, settled = 0;
  for (const std::string& note : notes) {
    told += "; " + note;
    if (const auto at = note.find("opened by "); at != std::string::npos) opened = std::stod(note.substr(at + 10));
    if (const auto at = note.find("farther than "); at != std::string::npos) settled = std::stod(note.substr(at + 13));
  }
  const Judgement j = judge(back);
  if (!j.sound())
    return fmt::format("{}: manifold {} closed {} crosses {} bounds {} outward {} degenerate {}{}", extension, j.manifold, j.closed,
                       j.self_intersects, j.bounds_volume, j.outward, j.degenerate, told);
  const Farthest moved = farthest_from(back, in_triangles(mesh));
  const bool is_told = told.find("moved by more than 8 steps") != std::string::npos && moved.length <= 1.1 * settled + 2.05 * opened;
  if (moved.steps > 8 && moved.length > 2.05 * opened && !is_told)
    return fmt::format("{}: moved by {:.3g} steps, {:.3g}, and that is not told{}", extension, moved.steps, moved.length, told);
  if (std::abs(j.volume - volume) > area * (8 * step + settled + 4 * opened) + of_sums) return fmt::format("{}: volume {} instead of {}{}", extension, j.volume, volume, told);
  return "";
}

std::string what_is_wrong_with_polygons(const Mesh& mesh) {
  const TemporaryFolder folder;
  if (const auto bytes = write_mesh(mesh, folder / "out.off"); !bytes) return bytes.issue().message();
  const auto back = read_mesh(folder / "out.off");
  if (!back) return back.issue().message();
  std::size_t corners = 3;
  for (std::size_t f = 0; f < back->mesh.face_count(); ++f) corners = std::max(corners, back->mesh.face(f).size());
  for (std::size_t first = 0; first < corners; ++first) {
    Mesh fans;
    fans.positions = back->mesh.positions;
    for (std::size_t f = 0; f < back->mesh.face_count(); ++f) {
      const auto ring = back->mesh.face(f);
      const std::size_t n = ring.size();
      for (std::size_t k = 1; k + 1 < n; ++k) fans.add_face({ring[first % n], ring[(first + k) % n], ring[(first + k + 1) % n]});
    }
    const Judgement j = judge(fans);
    if (!j.sound())
      return fmt::format(".off, fans from corner {}: manifold {} closed {} crosses {} bounds {} outward {} degenerate {}", first, j.manifold,
                         j.closed, j.self_intersects, j.bounds_volume, j.outward, j.degenerate);
  }
  return "";
}

std::string what_is_wrong_with_files(const Mesh& mesh) {
  std::string wrong = what_is_wrong_with_polygons(mesh);
  for (const char* extension : {".stl", ".3mf"})
    if (const std::string here = what_is_wrong_with_file(mesh, extension); !here.empty()) wrong += (wrong.empty() ? "" : " | ") + here;
  return wrong;
}

}  // namespace anvil::test
