// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/mesh/attributes.h"

#include "core/mesh/triangulate.h"

#include <tbb/parallel_for.h>

#include <algorithm>

namespace anvil {

void carry_materials(std::span<const Mesh* const> inputs, const FaceSources& sources, Mesh& to) {
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
