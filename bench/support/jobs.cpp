// SPDX-License-Identifier: GPL-3.0-or-later
#include "bench/support/jobs.h"

#include <cmath>
#include <numbers>

#include "job/edit.h"
#include "tests/support/shared_parts.h"

namespace anvil::bench {

Job ring_with_forty() {
  constexpr Index around = 250, across = 200;
  Mesh ring;
  for (Index i = 0; i < around; ++i)
    for (Index k = 0; k < across; ++k) {
      const double u = 2 * std::numbers::pi * i / around, v = 2 * std::numbers::pi * k / across, r = 100 + 20 * std::cos(v);
      ring.add_vertex({r * std::cos(u), r * std::sin(u), 20 * std::sin(v)});
    }
  const auto at = [&](Index i, Index k) { return i % around * across + k % across; };
  for (Index i = 0; i < around; ++i)
    for (Index k = 0; k < across; ++k) {
      ring.add_face({at(i, k), at(i + 1, k), at(i + 1, k + 1)});
      ring.add_face({at(i, k), at(i + 1, k + 1), at(i, k + 1)});
    }
  Part part;
  part.name = "Ring";
  part.source = ImportedSource{std::make_shared<const Mesh>(std::move(ring)), "ring.ply"};
  Job job = edit::add_part(Job{}, part);
  std::vector<PartId> bosses, holes;
  for (int k = 0; k < 40; ++k) {
    Part pin;
    pin.name = "Pin";
    pin.source = Primitive::of("cylinder", {6, 60, 32});
    const double u = 2 * std::numbers::pi * k / 40;
    pin.placement.position = {100 * std::cos(u), 100 * std::sin(u), 0};
    PartId id = 0;
    job = edit::add_part(job, pin, &id);
    (k % 4 == 0 ? bosses : holes).push_back(id);
  }
  return *edit::combine(*edit::combine(job, 1, bosses, Operation::unite), 1, holes, Operation::difference);
}

namespace {

Part box_at(const char* name, const Vec3& sizes, const Vec3& position) {
  Part part;
  part.name = name;
  part.source = Primitive::of("box", {sizes.x(), sizes.y(), sizes.z()});
  part.placement.position = position;
  return part;
}

}  // namespace

Job thousand_boxes() {
  Job job;
  for (int k = 0; k < 1000; ++k) job = edit::add_part(job, box_at("Box", {6, 6, 6}, {10.0 * (k % 40), 10.0 * (k / 40), 0}));
  return job;
}

Job five_hundred_cuts() {
  Job job = edit::add_part(Job{}, box_at("Plate", {260, 210, 4}, {0, 0, 0}));
  for (int k = 0; k < 500; ++k) {
    PartId tool = 0;
    job = edit::add_part(job, box_at("Tool", {5, 5, 10}, {10.0 * (k % 25) - 120, 10.0 * (k / 25) - 95, 0}), &tool);
    StepId step = 0;
    job = *edit::add_step(job, 1, new_step(steps::combine), &step);
    job = *edit::add_tools(job, step, {tool}, Operation::difference);
  }
  return job;
}

Job shared_twenty_deep() {
  Job job = edit::add_part(Job{}, box_at("Box", {6, 6, 6}, Vec3::Zero()));
  for (int k = 0; k < 20; ++k) job = test::with_level(std::move(job));
  return job;
}

}  // namespace anvil::bench
