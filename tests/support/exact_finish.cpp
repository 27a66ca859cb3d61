// SPDX-License-Identifier: GPL-3.0-or-later
#include "tests/support/exact_finish.h"

#include <BRepBuilderAPI_MakeFace.hxx>
#include <BRepBuilderAPI_MakePolygon.hxx>
#include <BRepBuilderAPI_MakeSolid.hxx>
#include <BRepBuilderAPI_Sewing.hxx>
#include <BRepFilletAPI_MakeChamfer.hxx>
#include <BRepFilletAPI_MakeFillet.hxx>
#include <BRepGProp.hxx>
#include <BRepPrimAPI_MakeCone.hxx>
#include <BRepPrimAPI_MakeCylinder.hxx>
#include <BRep_TVertex.hxx>
#include <GProp_GProps.hxx>
#include <Standard_Failure.hxx>
#include <TopExp.hxx>
#include <TopTools_IndexedMapOfShape.hxx>
#include <TopoDS.hxx>
#include <cmath>

namespace anvil::test {
namespace {

Vec3 place(const TopoDS_Vertex& vertex) {
  const gp_Pnt p = Handle(BRep_TVertex)::DownCast(vertex.TShape())->Pnt();
  return {p.X(), p.Y(), p.Z()};
}

double volume_of(const TopoDS_Shape& shape) {
  GProp_GProps properties;
  BRepGProp::VolumeProperties(shape, properties, 1e-10);
  return std::abs(properties.Mass());
}

std::optional<double> finished_volume(const TopoDS_Shape& solid, const ExactFinish& finish) {
  try {
    TopTools_IndexedMapOfShape edges;
    TopExp::MapShapes(solid, TopAbs_EDGE, edges);
    BRepFilletAPI_MakeFillet rounds(solid);
    BRepFilletAPI_MakeChamfer chamfers(solid);
    for (int k = 1; k <= edges.Extent(); ++k) {
      const TopoDS_Edge edge = TopoDS::Edge(edges(k));
      const Vec3 from = place(TopExp::FirstVertex(edge)), to = place(TopExp::LastVertex(edge));
      if (!finish.chosen(from, to)) continue;
      if (finish.round) rounds.Add(finish.width, edge);
      else chamfers.Add(finish.width, edge);
    }
    BRepBuilderAPI_MakeShape& maker = finish.round ? static_cast<BRepBuilderAPI_MakeShape&>(rounds) : chamfers;
    maker.Build();
    if (!maker.IsDone()) return std::nullopt;
    return volume_of(maker.Shape());
  } catch (const Standard_Failure&) {
    return std::nullopt;
  }
}

}  // namespace

std::optional<double> exact_volume(const Mesh& mesh, const ExactFinish& finish) {
  BRepBuilderAPI_Sewing sewing(1e-9);
  for (Index f = 0; f < mesh.face_count(); ++f) {
    BRepBuilderAPI_MakePolygon outline;
    for (Index v : mesh.face(f)) outline.Add(gp_Pnt(mesh.positions[v].x(), mesh.positions[v].y(), mesh.positions[v].z()));
    outline.Close();
    sewing.Add(BRepBuilderAPI_MakeFace(outline.Wire(), true).Face());
  }
  sewing.Perform();
  BRepBuilderAPI_MakeSolid solid;
  solid.Add(TopoDS::Shell(sewing.SewedShape()));
  return finished_volume(solid.Solid(), finish);
}

std::optional<double> exact_round_bar_volume(double lower_radius, double upper_radius, double height, const ExactFinish& finish) {
  ExactFinish rims = finish;
  // The seam runs from rim to rim.
  rims.chosen = [](const Vec3& from, const Vec3& to) { return std::abs(from.z() - to.z()) < 1e-9; };
  if (lower_radius == upper_radius) return finished_volume(BRepPrimAPI_MakeCylinder(lower_radius, height).Shape(), rims);
  return finished_volume(BRepPrimAPI_MakeCone(lower_radius, upper_radius, height).Shape(), rims);
}

}  // namespace anvil::test
