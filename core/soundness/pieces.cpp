// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>

#include "core/soundness/check.h"

namespace anvil {

SoundnessReport check_pieces(const Mesh& mesh, std::span<const Index> piece, Index pieces, const std::stop_token& stop) {
  if (pieces < 2) return check_soundness(mesh, stop);
  SoundnessReport all;
  all.sound = true;
  all.genus = 0;
  for (Index k = 0; k < pieces; ++k) {
    Mesh one;
    std::vector<Index> id(mesh.positions.size(), no_index), faces;
    for (Index f = 0; f < mesh.face_count(); ++f) {
      if (piece[f] != k) continue;
      faces.push_back(f);
      for (Index v : mesh.face(f)) {
        if (id[v] == no_index) id[v] = one.add_vertex(mesh.positions[v]);
        one.corners.push_back(id[v]);
      }
      one.face_offsets.push_back(static_cast<Index>(one.corners.size()));
    }
    const SoundnessReport report = check_soundness(one, stop);
    auto take = [&](std::vector<Place>& to, const std::vector<Place>& from) {
      for (Place place : from) {
        for (Index& f : place.faces) f = faces[f];
        to.push_back(std::move(place));
      }
    };
    for (std::size_t f = 0; f < family_count; ++f) {
      all.families[f].count += report.families[f].count;
      take(all.families[f].places, report.families[f].places);
    }
    take(all.contacts, report.contacts);
    all.holes += report.holes;
    all.contact_edges += report.contact_edges;
    all.vertices += report.vertices;
    all.triangles += report.triangles;
    all.polygons += report.polygons;
    all.edges += report.edges;
    all.shells += report.shells;
    all.volume += report.volume;
    all.area += report.area;
    if (!report.bounds.empty()) all.bounds.add(report.bounds.lo), all.bounds.add(report.bounds.hi);
    if (all.genus && report.genus)
      *all.genus += *report.genus;
    else
      all.genus.reset();
    all.sound = all.sound && report.sound;
  }
  return all;
}

}  // namespace anvil
