// SPDX-License-Identifier: GPL-3.0-or-later
// What holds for every operation on shapes: it can be stopped, it gives the same bits on any number of threads, it does not
// depend on size, place or the order of faces, and it changes no input.
#include <tbb/global_control.h>

#include <algorithm>
#include <numeric>
#include <random>

#include "core/shape/mirror.h"
#include "core/shape/plane_cut.h"
#include "core/soundness/check.h"
#include "tests/support/meshes.h"
#include "tests/support/referee.h"
#include "tests/support/told.h"

using namespace anvil;
using namespace anvil::test;

namespace {

struct Outcome {
  Mesh mesh;
  double volume = 0;
};

struct Shaping {
  const char* name;
  /// Applied to a mesh with everything at this scale and place.
  std::function<Outcome(const std::shared_ptr<const Mesh>&, double scale, const Vec3& at, const Control&)> run;
};

Outcome outcome(Mesh mesh) {
  const double volume = signed_volume(mesh);
  return {std::move(mesh), volume};
}

const std::vector<Shaping>& shapings() {
  static const std::vector<Shaping> all{
      {"difference",
       [](const auto& mesh, double scale, const Vec3& at, const Control& control) {
         Mesh tool = stock("cylinder", {0.6, 4, 48});
         for (Vec3& p : tool.positions) p = scale * p + at;
         auto result = combine({{mesh, "part"}, {shared(std::move(tool)), "tool", Operation::difference}}, control);
         REQUIRE(result);
         return outcome(result->mesh);
       }},
      {"plane cut",
       [](const auto& mesh, double scale, const Vec3& at, const Control& control) {
         auto result = plane_cut(mesh, "part", {at + scale * Vec3(0.1, 0.05, 0.02), Vec3(1, 0.4, 0.3), KeepSide::below}, control);
         REQUIRE(result);
         return outcome(result->mesh);
       }},
      {"mirror",
       [](const auto& mesh, double scale, const Vec3& at, const Control& control) {
         MirrorSettings settings;
         settings.point = at + scale * Vec3(0.25, 0, 0);
         settings.weld = 1e-6 * scale;
         auto result = mirror(mesh, "part", settings, control);
         REQUIRE(result);
         return outcome(result->result.mesh);
       }},
  };
  return all;
}

bool same_bits(const Mesh& a, const Mesh& b) {
  return a.positions == b.positions && a.corners == b.corners && a.face_offsets == b.face_offsets;
}

Mesh ball(double scale, const Vec3& at) {
  Mesh mesh = stock("sphere", {1, 64, 32});
  for (Vec3& p : mesh.positions) p = scale * p + at;
  return mesh;
}

}  // namespace

TEST_CASE("every shaping throws Stopped when it is asked to stop, and never gives half a result") {
  for (const Shaping& shaping : shapings()) {
    INFO(shaping.name);
    std::stop_source stop;
    stop.request_stop();
    const auto part = shared(ball(1, Vec3::Zero()));
    CHECK_THROWS_AS(shaping.run(part, 1, Vec3::Zero(), Control{stop.get_token(), nullptr}), Stopped);
    CHECK(shaping.run(part, 1, Vec3::Zero(), {}).volume > 0);
  }
}

TEST_CASE("every shaping gives the same bits on one thread and on many, and leaves its input alone") {
  for (const Shaping& shaping : shapings()) {
    INFO(shaping.name);
    const Mesh before = ball(1, {0.1, 0.2, 0.3});
    const auto part = shared(before);
    const Mesh many = shaping.run(part, 1, {0.1, 0.2, 0.3}, {}).mesh;
    const tbb::global_control one(tbb::global_control::max_allowed_parallelism, 1);
    const Mesh alone = shaping.run(part, 1, {0.1, 0.2, 0.3}, {}).mesh;
    CHECK(same_bits(many, alone));
    CHECK(same_bits(*part, before));
  }
}

TEST_CASE("every shaping works alike from micrometres to kilometres, and far from the origin") {
  for (const Shaping& shaping : shapings()) {
    const double expected = shaping.run(shared(ball(1, Vec3::Zero())), 1, Vec3::Zero(), {}).volume;
    for (const double scale : {1e-3, 1.0, 1e3, 1e6})
      for (const double away : {0.0, 100.0}) {
        INFO(shaping.name << " at " << scale << ", " << away << " sizes away");
        const Vec3 at = away * scale * Vec3(1, -0.7, 0.4);
        const Outcome found = shaping.run(shared(ball(scale, at)), scale, at, {});
        CHECK(judge(in_triangles(found.mesh)).sound());
        CHECK(found.volume / std::pow(scale, 3) == Approx(expected).epsilon(1e-5));  // contact is a millionth of the size
      }
  }
}

TEST_CASE("every shaping gives the same solid whatever the order of faces and the first corner of each") {
  std::mt19937 random(5);
  for (const Shaping& shaping : shapings()) {
    INFO(shaping.name);
    const Mesh in_order = ball(1, Vec3::Zero());
    std::vector<std::size_t> order(in_order.face_count());
    std::iota(order.begin(), order.end(), 0);
    std::shuffle(order.begin(), order.end(), random);
    Mesh mixed;
    mixed.positions = in_order.positions;
    for (std::size_t f : order) {
      std::vector<Index> ring(in_order.face(f).begin(), in_order.face(f).end());
      std::rotate(ring.begin(), ring.begin() + static_cast<long>(random() % ring.size()), ring.end());
      mixed.add_face(ring);
    }
    const Outcome a = shaping.run(shared(in_order), 1, Vec3::Zero(), {}), b = shaping.run(shared(mixed), 1, Vec3::Zero(), {});
    CHECK(check_soundness(b.mesh).sound);
    CHECK(b.volume == Approx(a.volume).epsilon(1e-9));
    CHECK(surface_area(b.mesh) == Approx(surface_area(a.mesh)).epsilon(1e-9));
  }
}

TEST_CASE("a part that came inside out is cut as the solid that it means") {
  Mesh inside_out = stock("box", {2, 2, 2});
  reverse_faces(inside_out);
  const auto cut = plane_cut(shared(inside_out), "part", {Vec3(0.5, 0, 0), Vec3(1, 0, 0), KeepSide::below});
  REQUIRE(cut);
  CHECK(signed_volume(cut->mesh) == Approx(1.5 * 2 * 2));
  CHECK(told(cut->report, "operands_turned_right"));
  CHECK(judge(in_triangles(cut->mesh)).sound());
}
