// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/mesh/attributes.h"

#include "core/mesh/triangulate.h"

#include <tbb/parallel_for.h>

#include <algorithm>

namespace anvil {

namespace {

/// Numbers of each input's regions begin behind this.
std::vector<Index> region_bases(std::span<const Mesh* const> inputs) {
  std::vector<Index> bases{0};
  for (const Mesh* input : inputs) bases.push_back(bases.back() + (input->regions.empty() ? 0 : *std::max_element(input->regions.begin(), input->regions.end())));
  return bases;
}

}  // namespace

void carry_slots(std::span<const Mesh* const> inputs, const FaceSources& sources, Mesh& to) {
  if (const std::vector<Index> bases = region_bases(inputs); bases.back() > 0) {
    to.regions.assign(to.face_count(), 0);
    tbb::parallel_for(std::size_t{0}, to.regions.size(), [&](std::size_t f) {
      const Index input = sources.input[f], face = sources.face[f];
      const std::vector<Index>& own = inputs[input]->regions;
      if (face != no_index && !own.empty() && own[face] != 0) to.regions[f] = bases[input] + own[face];
    });
  } else {
    to.regions.clear();
  }
  if (std::all_of(inputs.begin(), inputs.end(), [](const Mesh* m) { return m->materials.empty(); })) return;
  MaterialSlots slots;
  SlotNames names(slots);
  std::vector<std::vector<Index>> place;
  std::vector<Index> most_used;
  for (const Mesh* input : inputs) {
    place.push_back(names.places_of(input->materials));
    most_used.push_back(most_used_slot(input->materials));
  }
  slots.of_face.resize(to.face_count());
  tbb::parallel_for(std::size_t{0}, slots.of_face.size(), [&](std::size_t f) {
    const Index input = sources.input[f], face = sources.face[f];
    const MaterialSlots& own = inputs[input]->materials;
    slots.of_face[f] = place[input][own.empty() || face == no_index ? most_used[input] : own.of_face[face]];
  });
  to.materials = std::move(slots);
}

void carry_attributes(const Mesh& from, std::span<const Index> face, Mesh& to) {
  if (!from.materials.empty()) {
    const Index most_used = most_used_slot(from.materials);
    to.materials.names = from.materials.names;
    to.materials.of_face.resize(face.size());
    for (std::size_t f = 0; f < face.size(); ++f)
      to.materials.of_face[f] = face[f] == no_index ? most_used : from.materials.of_face[face[f]];
  }
  if (!from.regions.empty()) {
    to.regions.assign(face.size(), 0);
    for (std::size_t f = 0; f < face.size(); ++f)
      if (face[f] != no_index) to.regions[f] = from.regions[face[f]];
  }
  if (!from.origins.empty()) {
    to.origins.resize(face.size());
    for (std::size_t f = 0; f < face.size(); ++f)
      if (face[f] != no_index) to.origins[f] = from.origins[face[f]];
  }
}

void append_attributes(Mesh& mesh, std::size_t before, const Mesh& other) {
  if (!mesh.materials.empty() || !other.materials.empty()) {
    MaterialSlots& slots = mesh.materials;
    SlotNames names(slots);
    if (slots.empty() && before > 0) slots.of_face.assign(before, names.place_of(unnamed_slot));
    const std::vector<Index> place = names.places_of(other.materials);
    for (std::size_t f = 0; f < other.face_count(); ++f)
      slots.of_face.push_back(place[other.materials.empty() ? 0 : other.materials.of_face[f]]);
  }
  if (!mesh.regions.empty() || !other.regions.empty()) {
    const std::array<const Mesh*, 1> own{&mesh};
    const Index base = region_bases(own).back();
    mesh.regions.resize(before, 0);
    for (Index f = 0; f < other.face_count(); ++f) mesh.regions.push_back(other.regions.empty() || other.regions[f] == 0 ? 0 : base + other.regions[f]);
  }
  if (!mesh.origins.empty() || !other.origins.empty()) {
    if (mesh.origins.empty())
      for (Index f = 0; f < before; ++f) mesh.origins.push_back({0, f, no_index});
    for (Index f = 0; f < other.face_count(); ++f) mesh.origins.push_back(origin_of(other, f));
  }
}

Mesh cut_to_triangles(const Mesh& mesh) {
  const TriangleList list = triangulate(mesh);
  Mesh out;
  out.positions = mesh.positions;
  for (const Triangle& t : list.triangles) out.add_face(t);
  carry_attributes(mesh, list.face, out);
  return out;
}

}  // namespace anvil
