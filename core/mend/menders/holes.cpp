// SPDX-License-Identifier: GPL-3.0-or-later
// Closes holes: flat ones by a flat face, others by a smooth surface of least area.
#include <fmt/format.h>

#include <algorithm>

#include "core/mend/fill_hole.h"
#include "core/mend/mender.h"
#include "core/soundness/analysis.h"

namespace anvil {
namespace {

class Close {
 public:
  explicit Close(MendJob& job) : job_(job), mesh_(job.mesh), edges_(job.analysis.edges) {}

  void run(Deed& deed) {
    for (const Defect& defect : job_.of(families::open_edges)) {
      if (defect.kind != "hole") continue;
      check_stop(job_.control);
      if (job_.settings.longest_hole > 0 && defect.length > job_.settings.longest_hole) {
        deed.left.push_back(fmt::format("a hole of {:.4g} mm is longer than asked for", defect.length));
        continue;
      }
      const std::vector<Index> ring = ring_of(defect);
      const bool triangles = std::all_of(defect.faces.begin(), defect.faces.end(), [&](Index f) { return mesh_.face(f).size() == 3; });
      std::optional<HoleFilling> filling;
      if (defect.planar) filling = fill_flat(mesh_.positions, ring, triangles || ring.size() == 3);
      if (!filling) filling = fill_smooth(mesh_.positions, ring, around(ring));
      if (!filling) {
        deed.left.push_back(fmt::format("no surface was found for a hole of {:.4g} mm", defect.length));
        continue;
      }
      std::vector<Index> vertices = ring;
      for (const Vec3& p : filling->new_points) vertices.push_back(job_.edit.add_vertex(p));
      for (std::vector<Index>& face : filling->faces) {
        for (Index& v : face) v = vertices[v];
        job_.edit.add_face(std::move(face));
      }
      ++deed.count;
      deed.longest = std::max(deed.longest, defect.length);
      deed.places.push_back(defect.position);
    }
  }

 private:
  /// The hole's vertices against the way in which most of its faces run.
  std::vector<Index> ring_of(const Defect& hole) const {
    std::vector<Index> ring = hole.vertices;
    std::size_t along = 0;
    for (std::size_t k = 0; k < ring.size(); ++k) {
      const auto face = mesh_.face(hole.faces[k]);
      const Index v = ring[k], w = ring[(k + 1) % ring.size()];
      for (std::size_t j = 0; j < face.size(); ++j) along += face[j] == v && face[(j + 1) % face.size()] == w;
    }
    if (2 * along > ring.size()) std::reverse(ring.begin() + 1, ring.end());
    return ring;
  }

  /// Triangles of the faces within two steps of the hole.
  std::vector<Triangle> around(const std::vector<Index>& ring) {
    if (faces_at_.empty()) {
      faces_at_.resize(mesh_.positions.size());
      for (Index f = 0; f < mesh_.face_count(); ++f)
        for (Index v : mesh_.face(f)) faces_at_[v].push_back(f);
    }
    std::vector<Index> faces, vertices = ring;
    for (int step = 0; step < 2; ++step) {
      for (Index v : vertices) faces.insert(faces.end(), faces_at_[v].begin(), faces_at_[v].end());
      std::sort(faces.begin(), faces.end());
      faces.erase(std::unique(faces.begin(), faces.end()), faces.end());
      vertices.clear();
      for (Index f : faces) vertices.insert(vertices.end(), mesh_.face(f).begin(), mesh_.face(f).end());
      std::sort(vertices.begin(), vertices.end());
      vertices.erase(std::unique(vertices.begin(), vertices.end()), vertices.end());
    }
    std::vector<Triangle> triangles;
    for (Index f : faces)
      for (const Triangle& t : triangulate(mesh_.positions, mesh_.face(f))) triangles.push_back(t);
    return triangles;
  }

  MendJob& job_;
  const Mesh& mesh_;
  const EdgeTable& edges_;
  std::vector<std::vector<Index>> faces_at_;
};

void apply(MendJob& job, Deed& deed) { Close(job).run(deed); }

constexpr Note did{"holes_filled", "1 hole closed", "{0} holes closed", Note::Place::card};

}  // namespace

const Mender menders::holes = {"holes", "Close holes", &families::open_edges,
                               "close 1 hole, boundary {1}", "close {0} holes, longest boundary {1}", 100, true,
                               "Flat holes get a flat face, others a smooth surface of least area.", apply, &did, nullptr, true};

}  // namespace anvil
