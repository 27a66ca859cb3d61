// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>
#include <zip.h>

#include <Eigen/Geometry>
#include <algorithm>
#include <array>
#include <cmath>
#include <iterator>
#include <map>

#include "Model/COM/NMR_DLLInterfaces.h"
#include "core/io/formats.h"
#include "core/io/package.h"
#include "core/io/utf8.h"
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

constexpr const char* unnamed_part = "part";

std::string name_of(PLib3MFModelObjectResource* object) {
  ULONG length = 0;
  if (lib3mf_object_getnameutf8(object, nullptr, 0, &length) != 0 || length == 0) return {};
  std::string name(length + 1, '\0');
  if (lib3mf_object_getnameutf8(object, name.data(), static_cast<ULONG>(name.size()), &length) != 0) return {};
  return name.substr(0, name.find('\0'));
}

/// Slots of the triangles of one object, each its own or the object's; none when there is no base material.
MaterialSlots slots_of(PLib3MFModelObjectResource* object, DWORD triangles, BaseMaterials& materials, std::size_t& coloured) {
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
  const auto is_colour = [](eModelPropertyType t) { return t != MODELPROPERTYTYPE_NONE && t != MODELPROPERTYTYPE_BASEMATERIALS; };
  const bool all_coloured = is_colour(type);
  bool own = false;  // a triangle has another than its object
  for (DWORD i = 0; i < triangles; ++i) {
    require(lib3mf_propertyhandler_getpropertytype(each.get(), i, &type), "reading materials");
    coloured += is_colour(type) || (all_coloured && type == MODELPROPERTYTYPE_NONE);
    if (type == MODELPROPERTYTYPE_BASEMATERIALS) {
      require(lib3mf_propertyhandler_getbasematerial(each.get(), i, &group, &place), "reading materials");
      slots.of_face.push_back(names.place_of(materials.name(group, place)));
      any = true;
      own = own || materials.name(group, place) != of_object;
    } else {
      slots.of_face.push_back(names.place_of(of_object));
    }
  }
  // A part without materials is written with one that stands for its colour, and has its name.
  const std::string name = name_of(object);
  const bool is_colour_of_part = !own && of_object == (name.empty() ? unnamed_part : name);
  return any && !is_colour_of_part ? slots : MaterialSlots{};
}

/// What of a file is not in the mesh that is read of it.
struct LeftOut {
  std::size_t colours = 0;  ///< triangles that have one
  std::map<std::string, std::size_t> types;  ///< of objects that are no models
  std::vector<std::string> names;            ///< of objects that were put together
};

const char* name_of_type(DWORD type) {
  switch (type) {
    case MODELOBJECTTYPE_SUPPORT: return "support";
    case MODELOBJECTTYPE_SOLIDSUPPORT: return "solidsupport";
    case MODELOBJECTTYPE_SURFACE: return "surface";
    default: return "other";
  }
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
                LeftOut& left_out, int depth) {
  budget.take(1);
  if (depth > 32) throw BadFile{"components are nested more than 32 deep", "export it flat"};
  DWORD type = MODELOBJECTTYPE_MODEL;
  require(lib3mf_object_gettype(object, &type), "reading an object");
  if (type != MODELOBJECTTYPE_MODEL) {
    ++left_out.types[name_of_type(type)];
    return;
  }
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
      add_object(all, inner.get(), placed * to_affine(transform), materials, budget, left_out, depth + 1);
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
  mesh.materials = slots_of(object, triangles, materials, left_out.colours);
  if (placed.linear().determinant() < 0) reverse_faces(mesh);  // mirrored, which turns faces over
  if (const std::string name = name_of(object); !name.empty()) left_out.names.push_back(name);
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

namespace {

/// The start tags of one name, without their brackets.
std::vector<std::string_view> start_tags(std::string_view xml, std::string_view tag) {
  std::vector<std::string_view> tags;
  for (std::size_t at = xml.find('<'); at != std::string_view::npos; at = xml.find('<', at + 1)) {
    const std::string_view rest = xml.substr(at + 1);
    const std::size_t colon = rest.find(':'), end_of_name = rest.find_first_of(" \t\r\n/>");
    if (end_of_name == std::string_view::npos) break;
    const std::string_view own = colon < end_of_name ? rest.substr(colon + 1, end_of_name - colon - 1) : rest.substr(0, end_of_name);
    if (own == tag) tags.push_back(rest.substr(0, rest.find('>')));
  }
  return tags;
}

/// The value of an attribute of a start tag; empty when it has none.
std::string attribute(std::string_view start, std::string_view name) {
  for (std::size_t found = start.find(name); found != std::string_view::npos; found = start.find(name, found + 1)) {
    const bool is_whole = found > 0 && std::string_view(" \t\r\n").find(start[found - 1]) != std::string_view::npos;
    std::size_t value = found + name.size();
    while (value < start.size() && (start[value] == ' ' || start[value] == '=')) ++value;
    if (!is_whole || value >= start.size() || (start[value] != '"' && start[value] != '\'')) continue;
    return std::string(start.substr(value + 1, start.find(start[value], value + 1) - value - 1));
  }
  return {};
}

/// The name of the entry that holds the model: a package may be about other things as well, such as a picture of it.
std::string model_entry(const std::string& relations) {
  for (const std::string_view relation : start_tags(relations, "Relationship"))
    if (attribute(relation, "Type").ends_with("/3dmodel")) {
      const std::string name = attribute(relation, "Target");
      return name.starts_with('/') ? name.substr(1) : name;
    }
  return {};
}

/// Extensions that a reader has to know to understand the model (3MF Core Specification, 2.3.3).
void refuse_unknown_extensions(const Package& package) {
  std::string model;
  try {
    model = package.read(model_entry(package.read("_rels/.rels")));
  } catch (const BadFile&) {
    return;  // the reader tells what is wrong with it
  }
  const std::vector<std::string_view> tags = start_tags(std::string_view(model).substr(0, model.find("<resources")), "model");
  if (tags.empty()) return;
  static constexpr std::array<std::string_view, 3> known{"http://schemas.microsoft.com/3dmanufacturing/core/2015/02",
                                                         "http://schemas.microsoft.com/3dmanufacturing/material/2015/02",
                                                         "http://schemas.microsoft.com/3dmanufacturing/production/2015/06"};
  const std::string required = attribute(tags[0], "requiredextensions");
  for (std::size_t at = 0; (at = required.find_first_not_of(" \t\r\n", at)) != std::string::npos;) {
    const std::size_t end = std::min(required.find_first_of(" \t\r\n", at), required.size());
    const std::string prefix = required.substr(at, end - at), space = attribute(tags[0], "xmlns:" + prefix);
    if (std::find(known.begin(), known.end(), space) == known.end())
      throw BadFile{fmt::format("it can only be understood with the extension \"{}\" ({}), which is not read here", prefix, space.empty() ? "not named" : space),
                    "export it with plain meshes"};
    at = end;
  }
}

}  // namespace

Import read_3mf(const std::filesystem::path& path, std::uintmax_t file_size) {
  refuse_unknown_extensions(Package(path, "a 3MF file"));
  LeftOut left_out;
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
    add_object(result.mesh, object.get(), placed, materials, budget, left_out, 0);
  }
  DWORD unit = 0;
  require(lib3mf_model_getunit(model.get(), &unit), "reading the unit");
  if (const double scale = millimetres_per_unit(unit); scale != 1)
    for (Vec3& p : result.mesh.positions) p *= scale;
  for (const auto& [type, count] : left_out.types)
    result.notes.push_back(fmt::format("{} of type {} {} left out", count == 1 ? "1 object" : fmt::format("{} objects", count), type, count == 1 ? "was" : "were"));
  if (left_out.colours > 0) result.notes.push_back(fmt::format("the colours of {} triangles were left out", left_out.colours));
  if (left_out.names.size() > 1) {
    constexpr std::size_t told = 6;
    std::string names;
    for (std::size_t k = 0; k < std::min(told, left_out.names.size()); ++k) names += (k == 0 ? "" : ", ") + as_utf8(left_out.names[k]);
    result.notes.push_back(fmt::format("{} objects were put into one part: {}{}", left_out.names.size(), names, left_out.names.size() > told ? ", ..." : ""));
  }
  return result;
}

namespace {

/// A text as it can stand in XML, in attributes and outside of them: in UTF-8, without characters that XML does not know.
std::string quoted(const std::string& name) {
  std::string out;
  for (const char c : as_utf8(name)) switch (c) {
      case '&': out += "&amp;"; break;
      case '<': out += "&lt;"; break;
      case '>': out += "&gt;"; break;
      case '"': out += "&quot;"; break;
      default: out += static_cast<unsigned char>(c) < ' ' ? ' ' : c;
    }
  // U+FFFE and U+FFFF, the two that are UTF-8 and no characters of XML.
  for (const char* none : {"\xEF\xBF\xBE", "\xEF\xBF\xBF"})
    for (std::size_t at = out.find(none); at != std::string::npos; at = out.find(none, at)) out.replace(at, 3, " ");
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

Result<std::string> write_3mf(std::span<const PartInFile> parts, const std::string& title, const Control& control) {
  fmt::memory_buffer model;
  auto to = std::back_inserter(model);
  fmt::format_to(to, R"(<?xml version="1.0" encoding="UTF-8"?>
<model unit="millimeter" xml:lang="en-US" xmlns="http://schemas.microsoft.com/3dmanufacturing/core/2015/02">
)");
  if (!title.empty()) fmt::format_to(to, "<metadata name=\"Title\">{}</metadata>\n", quoted(title));
  fmt::format_to(to, "<metadata name=\"Application\">Clean Anvil</metadata>\n<resources>\n");
  // Each part has its materials, or one that stands for its colour, in a group before it.
  for (std::size_t k = 0; k < parts.size(); ++k) {
    const auto& [name, colour, mesh] = parts[k];
    const TriangleList list = triangulate(mesh);
    for (const Triangle& t : list.triangles)
      if (t[0] == t[1] || t[1] == t[2] || t[2] == t[0]) return Issue{"3MF forbids a triangle that uses one vertex twice", "", {}, "mend the part first"};
    const MaterialSlots& slots = mesh.materials;
    const std::size_t group = 2 * k + 1, object = 2 * k + 2;
    fmt::format_to(to, "<basematerials id=\"{}\">\n", group);
    const std::vector<std::string> unnamed{name.empty() ? unnamed_part : name};
    for (const std::string& material : slots.empty() ? unnamed : slots.names)
      fmt::format_to(to, "<base name=\"{}\" displaycolor=\"#{:06X}FF\"/>\n", quoted(material), colour & 0xFFFFFFu);
    fmt::format_to(to, "</basematerials>\n<object id=\"{}\" type=\"model\"", object);
    if (!name.empty()) fmt::format_to(to, " name=\"{}\"", quoted(name));
    fmt::format_to(to, " pid=\"{}\" pindex=\"{}\">\n<mesh>\n<vertices>\n", group, slots.empty() ? 0 : most_used_slot(slots));
    // As many digits as tell the 32-bit number.
    for (const Vec3& p : mesh.positions) {
      check_stop(control);
      fmt::format_to(to, "<vertex x=\"{}\" y=\"{}\" z=\"{}\"/>\n", static_cast<float>(p.x()), static_cast<float>(p.y()), static_cast<float>(p.z()));
    }
    fmt::format_to(to, "</vertices>\n<triangles>\n");
    for (std::size_t i = 0; i < list.triangles.size(); ++i) {
      check_stop(control);
      const auto& [a, b, c] = list.triangles[i];
      fmt::format_to(to, "<triangle v1=\"{}\" v2=\"{}\" v3=\"{}\"", a, b, c);
      if (!slots.empty()) fmt::format_to(to, " pid=\"{}\" p1=\"{}\"", group, slots.of_face[list.face[i]]);
      fmt::format_to(to, "/>\n");
    }
    fmt::format_to(to, "</triangles>\n</mesh>\n</object>\n");
  }
  fmt::format_to(to, "</resources>\n<build>\n");
  for (std::size_t k = 0; k < parts.size(); ++k) fmt::format_to(to, "<item objectid=\"{}\"/>\n", 2 * k + 2);
  fmt::format_to(to, "</build>\n</model>\n");
  return package_bytes({{"[Content_Types].xml", content_types}, {"_rels/.rels", relationships}, {"3D/3dmodel.model", fmt::to_string(model)}}, control);
}

}  // namespace anvil
