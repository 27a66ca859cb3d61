// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>
#include <zip.h>

#include <Eigen/Geometry>
#include <cmath>
#include <iterator>
#include <map>

#include "Model/COM/NMR_DLLInterfaces.h"
#include "core/io/formats.h"
#include "core/io/package.h"
#include "core/mesh/triangulate.h"

namespace anvil {
namespace {

using namespace NMR;  // lib3mf's C interface

/// Releases a lib3mf object.
template <class T>
class Held {
 public:
  ~Held() {
    if (object_ != nullptr) lib3mf_release(object_);
  }
  T** out() { return &object_; }
  T* get() const { return object_; }

 private:
  T* object_ = nullptr;
};

void require(LIB3MFRESULT result, const char* doing) {
  if (result != 0)
    throw BadFile{fmt::format("{} failed (3MF code {:#x})", doing, static_cast<unsigned>(result)),
                  "check that it is a 3MF file, or export it again"};
}

using Transform = Eigen::Transform<double, 3, Eigen::Affine>;

Transform to_affine(const MODELTRANSFORM& t) {
  Transform result = Transform::Identity();
  for (int row = 0; row < 3; ++row)
    for (int column = 0; column < 4; ++column)
      result.matrix()(row, column) = static_cast<double>(t.m_fFields[row][column]);
  return result;
}

/// Names of the base materials of one file, by group and place.
class BaseMaterials {
 public:
  explicit BaseMaterials(PLib3MFModel* model) : model_(model) {}

  const std::string& name(DWORD group, DWORD place) {
    const auto [known, is_new] = names_.try_emplace({group, place});
    if (!is_new) return known->second;
    Held<PLib3MFModelBaseMaterial> materials;
    ULONG length = 0;
    require(lib3mf_model_getbasematerialbyid(model_, group, materials.out()), "reading a material");
    require(lib3mf_basematerial_getnameutf8(materials.get(), place, nullptr, 0, &length), "reading a material");
    std::string& name = known->second;
    name.resize(length + 1);
    require(lib3mf_basematerial_getnameutf8(materials.get(), place, name.data(), static_cast<ULONG>(name.size()), &length),
            "reading a material");
    name.resize(name.find('\0'));
    return name;
  }

 private:
  PLib3MFModel* model_;
  std::map<std::pair<DWORD, DWORD>, std::string> names_;
};

/// Slots of the triangles of one object, each its own or the object's; none when there is no base material.
MaterialSlots slots_of(PLib3MFModelObjectResource* object, DWORD triangles, BaseMaterials& materials) {
  MaterialSlots slots;
  SlotNames names(slots);
  Held<PLib3MFDefaultPropertyHandler> general;
  Held<PLib3MFPropertyHandler> each;
  require(lib3mf_object_createdefaultpropertyhandler(object, general.out()), "reading materials");
  require(lib3mf_meshobject_createpropertyhandler(object, each.out()), "reading materials");
  eModelPropertyType type = MODELPROPERTYTYPE_NONE;
  DWORD group = 0, place = 0;
  std::string of_object;
  require(lib3mf_defaultpropertyhandler_getpropertytype(general.get(), &type), "reading materials");
  if (type == MODELPROPERTYTYPE_BASEMATERIALS) {
    require(lib3mf_defaultpropertyhandler_getbasematerial(general.get(), &group, &place), "reading materials");
    of_object = materials.name(group, place);
  }
  bool any = type == MODELPROPERTYTYPE_BASEMATERIALS;
  for (DWORD i = 0; i < triangles; ++i) {
    require(lib3mf_propertyhandler_getpropertytype(each.get(), i, &type), "reading materials");
    if (type == MODELPROPERTYTYPE_BASEMATERIALS) {
      require(lib3mf_propertyhandler_getbasematerial(each.get(), i, &group, &place), "reading materials");
      slots.of_face.push_back(names.place_of(materials.name(group, place)));
      any = true;
    } else {
      slots.of_face.push_back(names.place_of(of_object));
    }
  }
  return any ? slots : MaterialSlots{};
}

/// Components may use one object again and again, and nest: what a small file may ask for is bounded by its size.
class Budget {
 public:
  explicit Budget(std::uintmax_t file_size) : most_(1000 + share * file_size), left_(most_) {}
  void take(std::uintmax_t count) {
    if (count > left_)
      throw BadFile{fmt::format("its components ask for more than {} vertices, {} for each byte of the file", most_, share),
                    "it may be hostile: export it without nested components"};
    left_ -= count;
  }

 private:
  static constexpr std::uintmax_t share = 64;
  std::uintmax_t most_, left_;
};

void add_object(Mesh& all, PLib3MFModelObjectResource* object, const Transform& placed, BaseMaterials& materials, Budget& budget,
                int depth) {
  budget.take(1);
  if (depth > 32) throw BadFile{"components are nested more than 32 deep", "export it flat"};
  BOOL is_mesh = 0;
  require(lib3mf_object_ismeshobject(object, &is_mesh), "reading an object");
  if (!is_mesh) {
    DWORD count = 0;
    require(lib3mf_componentsobject_getcomponentcount(object, &count), "reading components");
    for (DWORD i = 0; i < count; ++i) {
      Held<PLib3MFModelComponent> component;
      Held<PLib3MFModelObjectResource> inner;
      MODELTRANSFORM transform;
      require(lib3mf_componentsobject_getcomponent(object, i, component.out()), "reading a component");
      require(lib3mf_component_getobjectresource(component.get(), inner.out()), "reading a component");
      require(lib3mf_component_gettransform(component.get(), &transform), "reading a component");
      add_object(all, inner.get(), placed * to_affine(transform), materials, budget, depth + 1);
    }
    return;
  }
  DWORD vertices = 0, triangles = 0;
  require(lib3mf_meshobject_getvertexcount(object, &vertices), "reading a mesh");
  require(lib3mf_meshobject_gettrianglecount(object, &triangles), "reading a mesh");
  budget.take(vertices);
  budget.take(triangles);
  if (all.corners.size() + 3 * std::size_t{triangles} >= no_index)
    throw BadFile{"it holds more triangles than can be held", "split the file"};
  Mesh mesh;
  for (DWORD i = 0; i < vertices; ++i) {
    MODELMESHVERTEX v;
    require(lib3mf_meshobject_getvertex(object, i, &v), "reading a vertex");
    const Vec3 p(static_cast<double>(v.m_fPosition[0]), static_cast<double>(v.m_fPosition[1]),
                 static_cast<double>(v.m_fPosition[2]));
    const Vec3 at = placed * p;
    if (!at.allFinite())
      throw BadFile{fmt::format("vertex {}: a coordinate is not finite", i + 1), "export it again"};
    mesh.add_vertex(at);
  }
  for (DWORD i = 0; i < triangles; ++i) {
    MODELMESHTRIANGLE t;
    require(lib3mf_meshobject_gettriangle(object, i, &t), "reading a triangle");
    for (DWORD v : t.m_nIndices)
      if (v >= vertices)
        throw BadFile{fmt::format("triangle {}: vertex index {} is out of range", i + 1, v),
                      "export it again"};
    mesh.add_face({t.m_nIndices[0], t.m_nIndices[1], t.m_nIndices[2]});
  }
  mesh.materials = slots_of(object, triangles, materials);
  append(all, mesh);
}

double millimetres_per_unit(DWORD unit) {
  switch (unit) {
    case MODELUNIT_MICROMETER:
      return 1e-3;
    case MODELUNIT_CENTIMETER:
      return 10;
    case MODELUNIT_INCH:
      return 25.4;
    case MODELUNIT_FOOT:
      return 304.8;
    case MODELUNIT_METER:
      return 1000;
    default:
      return 1;
  }
}

}  // namespace

Import read_3mf(const std::filesystem::path& path, std::uintmax_t file_size) {
  { const Package looked_at(path, "a 3MF file"); }
  Budget budget(file_size);
  Held<PLib3MFModel> model;
  Held<PLib3MFModelReader> reader;
  require(lib3mf_createmodel(model.out()), "starting the 3MF reader");
  require(lib3mf_model_queryreader(model.get(), "3mf", reader.out()), "starting the 3MF reader");
  require(lib3mf_reader_readfromfileutf8(reader.get(), path.c_str()), "reading the package");
  Import result;
  result.has_unit = true;
  BaseMaterials materials(model.get());
  Held<PLib3MFModelBuildItemIterator> items;
  require(lib3mf_model_getbuilditems(model.get(), items.out()), "reading the build");
  BOOL more = 0;
  while (lib3mf_builditemiterator_movenext(items.get(), &more) == 0 && more) {
    Held<PLib3MFModelBuildItem> item;
    Held<PLib3MFModelObjectResource> object;
    require(lib3mf_builditemiterator_getcurrent(items.get(), item.out()), "reading a build item");
    require(lib3mf_builditem_getobjectresource(item.get(), object.out()), "reading a build item");
    Transform placed = Transform::Identity();
    BOOL moved = 0;
    require(lib3mf_builditem_hasobjecttransform(item.get(), &moved), "reading a build item");
    if (moved) {
      MODELTRANSFORM transform;
      require(lib3mf_builditem_getobjecttransform(item.get(), &transform), "reading a build item");
      placed = to_affine(transform);
    }
    add_object(result.mesh, object.get(), placed, materials, budget, 0);
  }
  DWORD unit = 0;
  require(lib3mf_model_getunit(model.get(), &unit), "reading the unit");
  if (const double scale = millimetres_per_unit(unit); scale != 1)
    for (Vec3& p : result.mesh.positions) p *= scale;
  return result;
}

namespace {

/// A name as it can stand in an attribute.
std::string quoted(const std::string& name) {
  std::string out;
  for (const char c : name) switch (c) {
      case '&': out += "&amp;"; break;
      case '<': out += "&lt;"; break;
      case '"': out += "&quot;"; break;
      default: out += static_cast<unsigned char>(c) < ' ' ? ' ' : c;
    }
  return out;
}

constexpr const char* content_types =
    R"(<?xml version="1.0" encoding="UTF-8"?>
<Types xmlns="http://schemas.openxmlformats.org/package/2006/content-types">
<Default Extension="rels" ContentType="application/vnd.openxmlformats-package.relationships+xml"/>
<Default Extension="model" ContentType="application/vnd.ms-package.3dmanufacturing-3dmodel+xml"/>
</Types>
)";
constexpr const char* relationships =
    R"(<?xml version="1.0" encoding="UTF-8"?>
<Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships">
<Relationship Id="model" Target="/3D/3dmodel.model" Type="http://schemas.microsoft.com/3dmanufacturing/2013/01/3dmodel"/>
</Relationships>
)";

}  // namespace

Result<std::uintmax_t> write_3mf(const Mesh& mesh, const std::filesystem::path& path) {
  const TriangleList list = triangulate(mesh);
  for (const Triangle& t : list.triangles)
    if (t[0] == t[1] || t[1] == t[2] || t[2] == t[0])
      return Issue{"3MF forbids a triangle that uses one vertex twice", path.string(), {}, "mend the part first"};
  fmt::memory_buffer model;
  auto to = std::back_inserter(model);
  fmt::format_to(to, R"(<?xml version="1.0" encoding="UTF-8"?>
<model unit="millimeter" xml:lang="en-US" xmlns="http://schemas.microsoft.com/3dmanufacturing/core/2015/02">
<resources>
)");
  const MaterialSlots& slots = mesh.materials;
  if (!slots.empty()) {
    // In the colour of parts: what a material looks like is not kept.
    fmt::format_to(to, "<basematerials id=\"1\">\n");
    for (const std::string& name : slots.names)
      fmt::format_to(to, "<base name=\"{}\" displaycolor=\"#6F7F92FF\"/>\n", quoted(name));
    fmt::format_to(to, "</basematerials>\n");
  }
  const std::string of_object = slots.empty() ? "" : fmt::format(" pid=\"1\" pindex=\"{}\"", most_used_slot(slots));
  fmt::format_to(to, "<object id=\"2\" type=\"model\"{}>\n<mesh>\n<vertices>\n", of_object);
  // As many digits as tell the 32-bit number.
  for (const Vec3& p : mesh.positions)
    fmt::format_to(to, "<vertex x=\"{}\" y=\"{}\" z=\"{}\"/>\n", static_cast<float>(p.x()), static_cast<float>(p.y()),
                   static_cast<float>(p.z()));
  fmt::format_to(to, "</vertices>\n<triangles>\n");
  for (std::size_t i = 0; i < list.triangles.size(); ++i) {
    const auto& [a, b, c] = list.triangles[i];
    fmt::format_to(to, "<triangle v1=\"{}\" v2=\"{}\" v3=\"{}\"", a, b, c);
    if (!slots.empty()) fmt::format_to(to, " pid=\"1\" p1=\"{}\"", slots.of_face[list.face[i]]);
    fmt::format_to(to, "/>\n");
  }
  fmt::format_to(to, "</triangles>\n</mesh>\n</object>\n</resources>\n<build>\n<item objectid=\"2\"/>\n</build>\n</model>\n");
  return write_package(path, {{"[Content_Types].xml", content_types},
                              {"_rels/.rels", relationships},
                              {"3D/3dmodel.model", fmt::to_string(model)}});
}

}  // namespace anvil
