// SPDX-License-Identifier: GPL-3.0-or-later
#include "bench/support/jobs.h"

#include <cmath>
#include <numbers>

#include "job/edit.h"

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

}  // namespace anvil::bench
