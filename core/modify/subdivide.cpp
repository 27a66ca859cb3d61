// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/modify/subdivide.h"

#include <opensubdiv/far/primvarRefiner.h>
#include <opensubdiv/far/topologyDescriptor.h>

#include <algorithm>
#include <memory>

namespace anvil {
namespace {

namespace Far = OpenSubdiv::Far;
namespace Sdc = OpenSubdiv::Sdc;

/// A point as OpenSubdiv wants to mix it.
struct Point {
  Vec3 p = Vec3::Zero();
  void Clear(void* = nullptr) { p.setZero(); }
  void AddWithWeight(const Point& other, double weight) { p += weight * other.p; }
};

}  // namespace

std::size_t subdivided_faces(const Mesh& mesh, int levels) {
  return levels == 0 ? mesh.face_count() : mesh.corners.size() << 2 * (levels - 1);
}

Subdivided subdivide(const Mesh& mesh, int levels) {
  Subdivided out;
  std::vector<int> sizes, corners;
  std::vector<Index> base;  // of the faces that go in
  for (Index f = 0; f < mesh.face_count(); ++f) {
    const auto ring = mesh.face(f);
    std::vector<Index> sorted(ring.begin(), ring.end());
    std::sort(sorted.begin(), sorted.end());
    if (sorted.size() < 3 || std::adjacent_find(sorted.begin(), sorted.end()) != sorted.end()) {
      ++out.left_out;
      continue;
    }
    sizes.push_back(static_cast<int>(ring.size()));
    for (Index v : ring) corners.push_back(static_cast<int>(v));
    base.push_back(f);
  }
  if (base.empty()) return out;

  Far::TopologyDescriptor topology;
  topology.numVertices = static_cast<int>(mesh.positions.size());
  topology.numFaces = static_cast<int>(sizes.size());
  topology.numVertsPerFace = sizes.data();
  topology.vertIndicesPerFace = corners.data();
  Sdc::Options options;
  options.SetVtxBoundaryInterpolation(Sdc::Options::VTX_BOUNDARY_EDGE_ONLY);
  using Factory = Far::TopologyRefinerFactory<Far::TopologyDescriptor>;
  const std::unique_ptr<Far::TopologyRefiner> refiner(Factory::Create(topology, Factory::Options(Sdc::SCHEME_CATMARK, options)));
  if (!refiner) throw std::logic_error("OpenSubdiv takes no topology of simple polygons");
  refiner->RefineUniform(Far::TopologyRefiner::UniformOptions(levels));

  std::vector<Point> points(static_cast<std::size_t>(refiner->GetNumVerticesTotal()));
  for (std::size_t v = 0; v < mesh.positions.size(); ++v) points[v].p = mesh.positions[v];
  const Far::PrimvarRefinerReal<double> primvars(*refiner);
  Point* from = points.data();
  for (int level = 1; level <= levels; ++level) {
    Point* to = from + refiner->GetLevel(level - 1).GetNumVertices();
    primvars.Interpolate(level, from, to);
    from = to;
  }
  const Far::TopologyLevel& last = refiner->GetLevel(levels);
  for (int v = 0; v < last.GetNumVertices(); ++v) out.mesh.add_vertex(from[v].p);
  for (int f = 0; f < last.GetNumFaces(); ++f) {
    std::vector<Index> ring;
    const Far::ConstIndexArray face = last.GetFaceVertices(f);
    for (int k = 0; k < face.size(); ++k) ring.push_back(static_cast<Index>(face[k]));
    out.mesh.add_face(ring);
    int parent = f;
    for (int level = levels; level > 0; --level) parent = refiner->GetLevel(level).GetFaceParentFace(parent);
    out.source.push_back(base[static_cast<std::size_t>(parent)]);
  }
  return out;
}

}  // namespace anvil
