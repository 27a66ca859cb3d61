// SPDX-License-Identifier: GPL-3.0-or-later
#include "tests/support/random_chains.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <random>

#include "core/boolean/combine.h"
#include "tests/support/dice.h"
#include "tests/support/meshes.h"
#include "tests/support/referee.h"

namespace anvil::test {
namespace {

Mesh random_solid(Random& random) {
  const auto size = [&] { return static_cast<double>(2 + below(random, 7)); };
  Mesh mesh;
  switch (below(random, 8)) {
    case 0: case 1: case 2: mesh = stock("box", {size(), size(), size()}); break;
    case 3: case 4: mesh = stock("prism", {size(), size(), static_cast<double>(3 + below(random, 6))}); break;
    case 5: mesh = stock("cylinder", {size(), size(), static_cast<double>(8 + 4 * below(random, 4))}); break;
    case 6: mesh = stock("sphere", {size(), 16, 8}); break;
    default: mesh = stock("torus", {size() + 2, 1.5, 16, 8});
  }
  Vec3 angles = Vec3::Zero();
  if (below(random, 2) == 0) angles[below(random, 3)] = 15.0 * below(random, 24);
  const Vec3 at = 0.5 * Vec3(below(random, 9) - 4, below(random, 9) - 4, below(random, 9) - 4);
  return placed(std::move(mesh), at, angles);
}

/// Shell of each face; what hangs together over vertices.
std::vector<std::size_t> shells_of(const Mesh& mesh, std::size_t& count) {
  std::vector<Index> parent(mesh.positions.size());
  for (Index v = 0; v < parent.size(); ++v) parent[v] = v;
  const auto find = [&](Index v) {
    while (parent[v] != v) v = parent[v] = parent[parent[v]];
    return v;
  };
  for (std::size_t f = 0; f < mesh.face_count(); ++f)
    for (Index v : mesh.face(f)) parent[find(v)] = find(mesh.face(f)[0]);
  std::map<Index, std::size_t> number;
  std::vector<std::size_t> shell(mesh.face_count());
  for (std::size_t f = 0; f < shell.size(); ++f) shell[f] = number.try_emplace(find(mesh.face(f)[0]), number.size()).first->second;
  count = number.size();
  return shell;
}

FoldsSeen seen;

struct Combined {
  Mesh mesh;
  double volume = 0;
};

/// Combines and judges; every complaint goes into `wrong`.
class Chains {
 public:
  explicit Chains(double tolerance) : tolerance_(tolerance) {}

  using Use = std::pair<Operation, const Mesh*>;
  Combined combined(const char* what, const Mesh& part, const std::vector<Use>& uses) {
    if (!wrong.empty()) return {};
    if (part.empty()) return {};
    std::vector<Operand> operands{{shared(part), "part"}};
    for (const auto& [operation, mesh] : uses)
      if (!mesh->empty()) operands.push_back({shared(*mesh), "tool", operation});
    // All judged with the tolerance of the first combination: a chain of the application has one part.
    const auto result = combine(operands, {}, {tolerance_});
    if (!result) return wrong = fmt::format("{}: {}", what, result.issue().message()), Combined{};
    Combined out{result->mesh, 0};
    if (out.mesh.empty()) return out;
    if (const double thin = thinnest_shell(out.mesh); thin < tolerance_)
      wrong = fmt::format("{}: a shell of thickness {:.3g} among {}", what, thin, shell_count(out.mesh));
    const Folds folded = folds(out.mesh, tolerance_);
    ++seen.results;
    seen.with_flaps += folded.flaps > 0;
    seen.with_grooves += folded.grooves > 0;
    const Judgement j = judge(in_triangles(out.mesh));
    if (!j.sound() && result->pieces < 2)
      wrong = fmt::format("{}: manifold {} closed {} crosses {} bounds {} outward {} degenerate {}", what, j.manifold, j.closed,
                          j.self_intersects, j.bounds_volume, j.outward, j.degenerate);
    out.volume = j.volume;
    return out;
  }
  void empty(const char* what, const Combined& result) {
    if (wrong.empty() && !result.mesh.empty())
      wrong = fmt::format("{}: not empty, {} shells of {:.3g}", what, shell_count(result.mesh), result.volume);
  }
  /// The same volume, within what the tolerance may move, and as many shells.
  void same(const char* what, const Combined& one, const Combined& other) {
    if (!wrong.empty()) return;
    const double slack = 4 * tolerance_ * (surface_area(one.mesh) + surface_area(other.mesh));
    if (std::abs(one.volume - other.volume) > slack) wrong = fmt::format("{}: {} and {}", what, one.volume, other.volume);
    if (shell_count(one.mesh) != shell_count(other.mesh))
      wrong = fmt::format("{}: {} and {} shells", what, shell_count(one.mesh), shell_count(other.mesh));
  }

  std::string wrong;

 private:
  double tolerance_;
};

/// Turned by 360/k degrees k times, each time rounded.
Mesh turned_around(Mesh mesh, int k, int axis) {
  Vec3 angles = Vec3::Zero();
  angles[axis] = 360.0 / k;
  for (int i = 0; i < k; ++i) mesh = placed(std::move(mesh), Vec3::Zero(), angles);
  return mesh;
}

Mesh mirrored(Mesh mesh, int axis) {
  for (Vec3& p : mesh.positions) p[axis] = 1 - p[axis];
  reverse_faces(mesh);
  return mesh;
}

}  // namespace

Chain random_chain(unsigned seed) {
  Random random(seed);
  Chain chain{random_solid(random), {}};
  const int count = 2 + below(random, 5);
  for (int k = 0; k < count; ++k) chain.tools.push_back(random_solid(random));
  return chain;
}

double thinnest_shell(const Mesh& mesh) {
  struct Shell {
    std::vector<std::array<Vec3, 3>> faces;
    double volume = 0, area = 0;
    double mean() const { return area > 0 ? 2 * std::abs(volume) / area : 0; }
    /// How far it is through the shell, straight in from near the corners of its wide faces: the greatest of them.
    double greatest() const {
      double greatest = mean();
      for (const auto& [a, b, c] : faces) {
        const Vec3 normal = (b - a).cross(c - a), in = -normal.normalized();
        if (normal.norm() < 4 * mean() * std::max({(b - a).norm(), (c - b).norm(), (a - c).norm()})) continue;
        for (const Vec3& corner : {a, b, c}) {
          const Vec3 from = 0.85 * corner + 0.05 * (a + b + c);
          double through = std::numeric_limits<double>::infinity();
          for (const auto& [x, y, z] : faces) {
            const Vec3 out = (y - x).cross(z - x);
            if (out.dot(in) <= 0) continue;
            const double t = out.dot(x - from) / out.dot(in);
            const Vec3 at = from + t * in;
            if ((y - x).cross(at - x).dot(out) >= 0 && (z - y).cross(at - y).dot(out) >= 0 && (x - z).cross(at - z).dot(out) >= 0) through = std::min(through, t);
          }
          if (through < std::numeric_limits<double>::infinity()) greatest = std::max(greatest, through);
        }
      }
      return greatest;
    }
  };
  std::size_t count = 0;
  const std::vector<std::size_t> shell_of_face = shells_of(mesh, count);
  std::vector<Shell> shells(count);
  for (std::size_t f = 0; f < shell_of_face.size(); ++f) {
    const auto ring = mesh.face(f);
    Shell& shell = shells[shell_of_face[f]];
    const Vec3 a = mesh.positions[ring[0]], origin = shell.faces.empty() ? a : shell.faces[0][0];
    for (std::size_t k = 1; k + 1 < ring.size(); ++k) {
      const Vec3 b = mesh.positions[ring[k]], c = mesh.positions[ring[k + 1]];
      shell.volume += (a - origin).dot((b - origin).cross(c - origin)) / 6;
      shell.area += (b - a).cross(c - a).norm() / 2;
      shell.faces.push_back({a, b, c});
    }
  }
  std::sort(shells.begin(), shells.end(), [](const Shell& one, const Shell& other) { return one.mean() < other.mean(); });
  double least = std::numeric_limits<double>::infinity();
  for (const Shell& shell : shells) {
    if (shell.mean() >= least) break;
    least = std::min(least, shell.greatest());
  }
  return least;
}

std::size_t shell_count(const Mesh& mesh) {
  std::size_t count = 0;
  shells_of(mesh, count);
  return count;
}

Folds folds(const Mesh& mesh, double tolerance) {
  struct Face {
    std::array<Vec3, 3> at;
    Triangle corners;
    Vec3 normal;
    Box3 box;
    bool is_asked;
  };
  std::vector<Face> faces;
  for (const Triangle& t : triangulate(mesh).triangles) {
    Face face{{mesh.positions[t[0]], mesh.positions[t[1]], mesh.positions[t[2]]}, t, {}, {}, false};
    const auto& [a, b, c] = face.at;
    face.normal = (b - a).cross(c - a);
    const double longest = std::max({(b - a).norm(), (c - b).norm(), (a - c).norm()});
    face.is_asked = face.normal.norm() > 4 * tolerance * longest;
    face.normal.stableNormalize();
    for (const Vec3& p : face.at) face.box.add(p);
    faces.push_back(face);
  }
  std::sort(faces.begin(), faces.end(), [](const Face& a, const Face& b) { return a.box.lo.x() < b.box.lo.x(); });
  Folds found;
  for (const Face& face : faces) {
    if (!face.is_asked) continue;
    const Vec3 middle = (face.at[0] + face.at[1] + face.at[2]) / 3;
    bool flap = false, groove = false;
    for (const Face& other : faces) {
      if (other.box.lo.x() > middle.x() + tolerance) break;
      if ((other.box.hi.array() < middle.array() - tolerance).any() || (other.box.lo.array() > middle.array() + tolerance).any()) continue;
      const double height = other.normal.dot(middle - other.at[0]);
      if (std::abs(height) > tolerance || face.normal.dot(other.normal) > -0.5) continue;
      if (std::any_of(other.corners.begin(), other.corners.end(), [&](Index v) { return std::find(face.corners.begin(), face.corners.end(), v) != face.corners.end(); }))
        continue;
      bool inside = true;
      for (std::size_t k = 0; k < 3; ++k) inside = inside && other.normal.dot((other.at[(k + 1) % 3] - other.at[k]).cross(middle - other.at[k])) > 0;
      if (!inside) continue;
      (height < 0 ? flap : groove) = true;
    }
    found.flaps += flap;
    found.grooves += groove;
  }
  return found;
}

const FoldsSeen& folds_seen() { return seen; }

std::string what_is_wrong_with_chain(unsigned seed) {
  const Chain chain = random_chain(seed);
  Random random(seed + 1);
  Box3 box = bounds(chain.part);
  for (const Mesh& tool : chain.tools) box.add(bounds(tool));
  Chains c(contact_share * box.diagonal());
  const auto less = Operation::difference, both = Operation::intersection, with = Operation::unite;
  std::vector<Chains::Use> cuts;
  for (const Mesh& tool : chain.tools) cuts.emplace_back(less, &tool);
  const Mesh &a = chain.part, &t = chain.tools[0];
  const Combined whole = c.combined("A", a, {{with, &a}});
  const Combined r = c.combined("R", a, cuts);
  if (r.mesh.empty()) return c.wrong;
  std::vector<Chains::Use> again = cuts;
  again.emplace_back(less, &r.mesh);
  c.empty("A - T1 - ... - Tn - R", c.combined("A - T1 - ... - Tn - R", a, again));
  c.same("R + R", r, c.combined("R + R", r.mesh, {{with, &r.mesh}}));
  c.same("R & A", r, c.combined("R & A", r.mesh, {{both, &a}}));
  c.same("R - T", r, c.combined("R - T", r.mesh, {{less, &t}}));
  c.same("R split by R", r, c.combined("R split by R", r.mesh, {{Operation::split, &r.mesh}}));
  const Combined rest = c.combined("A - T", a, {{less, &t}}), common = c.combined("A & T", a, {{both, &t}});
  c.same("A & (A - T)", rest, c.combined("A & (A - T)", a, {{both, &rest.mesh}}));
  if (!rest.mesh.empty()) c.same("(A - T) + (A & T)", whole, c.combined("(A - T) + (A & T)", rest.mesh, {{with, &common.mesh}}));
  static constexpr int turns[] = {3, 5, 7, 12};
  const Mesh turned = turned_around(r.mesh, turns[below(random, 4)], below(random, 3));
  c.empty("R - R turned around", c.combined("R - R turned around", r.mesh, {{less, &turned}}));
  // Results of results, to a depth of five.
  Mesh deep = r.mesh;
  for (int depth = 0; depth < 3 && c.wrong.empty() && !deep.empty(); ++depth) {
    const Mesh copy = depth == 1 ? mirrored(deep, below(random, 3)) : placed(deep, Vec3(below(random, 3) - 1, below(random, 3) - 1, 0.5));
    const Combined cut = c.combined("a copy cut out", deep, {{less, &copy}});
    const Combined joined = c.combined("and put back", cut.mesh, {{with, &copy}});
    c.empty("what a copy left, without what was put back", c.combined("less", cut.mesh, {{less, &joined.mesh}}));
    deep = joined.mesh;
  }
  return c.wrong;
}

}  // namespace anvil::test
