// SPDX-License-Identifier: GPL-3.0-or-later
#include <tbb/enumerable_thread_specific.h>
#include <tbb/parallel_for.h>

#include <algorithm>

#include "core/soundness/analysis.h"

namespace anvil {
namespace {

/// Doubled faces share every edge by position, so it is enough to compare each face with the others on
/// its first proper edge. Each face with an earlier twin counts once.
std::vector<Defect> find_doubled(const Analysis& a) {
  const EdgeTable& edges = a.position_edges();
  tbb::enumerable_thread_specific<std::vector<Index>> parts;
  tbb::parallel_for(tbb::blocked_range<std::size_t>(0, a.mesh.face_count(), 8192), [&](const auto& range) {
    for (std::size_t k = range.begin(); k < range.end(); ++k) {
      const auto f = static_cast<Index>(k);
      Index corner = a.mesh.face_offsets[f];
      while (corner < a.mesh.face_offsets[f + 1] && edges.corner_edge[corner] == no_index) ++corner;
      if (corner == a.mesh.face_offsets[f + 1]) continue;
      for (Index use : edges.corners_of(edges.corner_edge[corner])) {
        const Index g = edges.corner_face[use];
        if (g < f && same_ring(a, f, g)) {
          parts.local().push_back(f);
          break;
        }
      }
    }
  });
  std::vector<Index> found;
  for (const auto& part : parts) found.insert(found.end(), part.begin(), part.end());
  std::sort(found.begin(), found.end());
  std::vector<Defect> defects;
  for (const auto& group : connected_groups(a, found))
    defects.push_back(defect_of_faces(a, families::doubled_faces, group,
                                      group.size() == 1
                                          ? "1 face lies on another"
                                          : std::to_string(group.size()) + " faces lie on others"));
  return defects;
}

}  // namespace

/// Faces on the same corners as an earlier face, either way round.
const Family families::doubled_faces = {"doubled_faces",
                                        "Doubled faces",
                                        "doubled face",
                                        "doubled faces",
                                        Marker::double_bar,
                                        FamilyRole::defect,
                                        70,
                                        find_doubled};

}  // namespace anvil
