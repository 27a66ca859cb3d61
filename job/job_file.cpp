// SPDX-License-Identifier: GPL-3.0-or-later
#include "job/job_file.h"

#include <fmt/format.h>
#include <zip.h>

#include <nlohmann/json.hpp>

#include "core/io/formats.h"
#include "core/io/mesh_file.h"
#include "core/io/package.h"

namespace anvil {
namespace {

using nlohmann::json;

constexpr int format_version = 1;
constexpr std::uintmax_t most_unpacked_share = 256;  // a ZIP rarely packs meshes better than 1 : 20

/// A problem at a place inside the file.
struct BadJob {
  std::string what, remedy;
};

json to_json(const Vec3& v) {
  return {v.x(), v.y(), v.z()};
}

json to_json(const Placement& p) {
  return {{"position", to_json(p.position)}, {"angles", to_json(p.angles)}, {"scale", to_json(p.scale)}};
}

json to_json(const Step& step) {
  const auto& combine = std::get<CombineStep>(step);
  json tools = json::array();
  for (const ToolUse& use : combine.tools)
    tools.push_back({{"tool", use.tool}, {"operation", key_of(use.operation)}, {"on", use.on}});
  return {{"step", "combine"}, {"on", combine.on}, {"tools", tools}};
}

const json& member(const json& object, const char* key, const std::string& where) {
  const auto it = object.is_object() ? object.find(key) : object.end();
  if (!object.is_object() || it == object.end())
    throw BadJob{fmt::format("job.json: {} has no \"{}\"", where, key), "restore it from a backup"};
  return *it;
}

template <class T>
T value(const json& object, const char* key, const std::string& where) {
  try {
    return member(object, key, where).get<T>();
  } catch (const json::exception&) {
    throw BadJob{fmt::format("job.json: \"{}\" of {} has the wrong type", key, where),
                 "restore it from a backup"};
  }
}

Vec3 vector_of(const json& object, const char* key, const std::string& where) {
  const auto numbers = value<std::vector<double>>(object, key, where);
  if (numbers.size() != 3)
    throw BadJob{fmt::format("job.json: \"{}\" of {} needs three numbers", key, where),
                 "restore it from a backup"};
  const Vec3 v(numbers[0], numbers[1], numbers[2]);
  if (!v.allFinite() || v.cwiseAbs().maxCoeff() > 1e12)
    throw BadJob{fmt::format("job.json: \"{}\" of {} is out of range", key, where),
                 "restore it from a backup"};
  return v;
}

struct Archive {
  zip_t* zip = nullptr;
  ~Archive() {
    if (zip != nullptr) zip_discard(zip);
  }

  std::string read(const std::string& name) const {
    zip_stat_t status;
    if (zip_stat(zip, name.c_str(), 0, &status) != 0)
      throw BadJob{fmt::format("the entry {} is missing", name), "restore it from a backup"};
    std::string contents(status.size, '\0');
    zip_file_t* file = zip_fopen(zip, name.c_str(), 0);
    if (file == nullptr)
      throw BadJob{fmt::format("the entry {} cannot be opened", name), "restore it from a backup"};
    const zip_int64_t n = zip_fread(file, contents.data(), contents.size());
    const int closed = zip_fclose(file);
    if (n != static_cast<zip_int64_t>(contents.size()) || closed != 0)
      throw BadJob{fmt::format("the entry {} is damaged", name), "restore it from a backup"};
    return contents;
  }
};

/// Slots of faces in runs: a slot and how many faces have it.
json to_json(const MaterialSlots& slots) {
  json runs = json::array();
  for (std::size_t f = 0, end = 0; f < slots.of_face.size(); f = end) {
    while (end < slots.of_face.size() && slots.of_face[end] == slots.of_face[f]) ++end;
    runs.push_back({slots.of_face[f], end - f});
  }
  return {{"names", slots.names}, {"runs", runs}};
}

MaterialSlots read_slots(const json& object, std::size_t faces, const std::string& where) {
  MaterialSlots slots;
  slots.names = value<std::vector<std::string>>(object, "names", where);
  for (const auto& [slot, count] : value<std::vector<std::pair<Index, std::size_t>>>(object, "runs", where)) {
    if (slot >= slots.names.size() || count > faces - slots.of_face.size())
      throw BadJob{fmt::format("job.json: the material slots of {} do not fit its mesh", where), "restore it from a backup"};
    slots.of_face.insert(slots.of_face.end(), count, slot);
  }
  if (slots.of_face.size() != faces)
    throw BadJob{fmt::format("job.json: the material slots of {} do not fit its mesh", where), "restore it from a backup"};
  return slots;
}

Source read_source(const json& source, const Archive& archive, const std::string& where) {
  if (const auto mesh = source.find("mesh"); mesh != source.end()) {
    const auto entry = value<std::string>(source, "mesh", where);
    Import import;
    try {
      import = read_ply(archive.read(entry));
    } catch (const BadFile& bad) {
      throw BadJob{fmt::format("{}: {}", entry, bad.what), "restore it from a backup"};
    }
    if (const auto slots = source.find("slots"); slots != source.end())
      import.mesh.materials = read_slots(*slots, import.mesh.face_count(), where);
    return ImportedSource{std::make_shared<const Mesh>(std::move(import.mesh)),
                          value<std::string>(source, "file", where)};
  }
  const auto key = value<std::string>(source, "primitive", where);
  for (const PrimitiveSpec& spec : primitive_specs()) {
    if (key != spec.key) continue;
    Primitive primitive{spec.kind, {}};
    const json& dimensions = member(source, "dimensions", where);
    for (const DimensionSpec& d : spec.dimensions)
      primitive.values.push_back(value<double>(dimensions, d.key, where));
    if (const auto made = make_mesh(primitive); !made)
      throw BadJob{fmt::format("job.json: {}: {}", where, made.issue().message()), "correct the number"};
    return primitive;
  }
  throw BadJob{fmt::format("job.json: {}: \"{}\" is not a primitive known here", where, key),
               "open it with the version that wrote it"};
}

Part read_part(const json& object, const Archive& archive, const std::string& where) {
  Part part;
  part.id = value<PartId>(object, "id", where);
  part.name = value<std::string>(object, "name", where);
  part.source = read_source(member(object, "source", where), archive, where);
  const json& placement = member(object, "placement", where);
  part.placement = {vector_of(placement, "position", where), vector_of(placement, "angles", where),
                    vector_of(placement, "scale", where)};
  if ((part.placement.scale.array() == 0).any())
    throw BadJob{fmt::format("job.json: {} has a scale of zero", where), "restore it from a backup"};
  if (object.contains("rides_on")) part.rides_on = value<PartId>(object, "rides_on", where);
  if (object.contains("tint")) part.tint = value<std::uint32_t>(object, "tint", where) & 0xFFFFFFu;
  part.visible = value<bool>(object, "visible", where);
  part.locked = value<bool>(object, "locked", where);
  for (const json& step : member(object, "recipe", where)) {
    if (const auto kind = value<std::string>(step, "step", where); kind != "combine")
      throw BadJob{fmt::format("job.json: {} has a step \"{}\" that is not known here", where, kind),
                   "open it with the version that wrote it"};
    CombineStep combine;
    combine.on = value<bool>(step, "on", where);
    for (const json& tool : member(step, "tools", where)) {
      const auto operation = operation_named(value<std::string>(tool, "operation", where));
      if (!operation) throw BadJob{"job.json: " + operation.issue().message(), "restore it from a backup"};
      combine.tools.push_back(
          {value<PartId>(tool, "tool", where), *operation, value<bool>(tool, "on", where)});
    }
    part.recipe.emplace_back(std::move(combine));
  }
  return part;
}

/// Ids have to be unique, tools have to exist, and nothing may be made from itself.
void check_references(const Job& job) {
  std::map<PartId, int> seen;
  for (const PartPtr& part : job.parts)
    if (part->id == 0 || ++seen[part->id] > 1)
      throw BadJob{fmt::format("job.json: part id {} is used twice or is zero", part->id),
                   "restore it from a backup"};
  // Depth-first over tools and frames; a part met again on the way down is made from itself.
  std::map<PartId, int> state;
  std::function<void(PartId)> visit = [&](PartId id) {
    const Part* part = job.find(id);
    if (part == nullptr)
      throw BadJob{fmt::format("job.json: a part refers to part {}, which is not there", id),
                   "restore it from a backup"};
    if (state[id] == 2) return;
    if (state[id] == 1)
      throw BadJob{fmt::format("job.json: part \"{}\" is made from itself", part->name),
                   "restore it from a backup"};
    state[id] = 1;
    for (const Step& step : part->recipe)
      for (const ToolUse& use : std::get<CombineStep>(step).tools) visit(use.tool);
    state[id] = 2;
  };
  for (const PartPtr& part : job.parts) visit(part->id);
  for (const PartPtr& part : job.parts) {
    const Part* at = part.get();
    for (std::size_t depth = 0; at != nullptr && at->rides_on; ++depth) {
      at = job.find(*at->rides_on);
      if (at == nullptr || depth > job.parts.size())
        throw BadJob{fmt::format("job.json: part \"{}\" rides on nothing or on itself", part->name),
                     "restore it from a backup"};
    }
  }
}

}  // namespace

Result<Job> load_job(const std::filesystem::path& path) {
  if (Result<FileBytes> readable = FileBytes::read(path); !readable) return readable.issue();
  try {
    Archive archive;
    int error = 0;
    archive.zip = zip_open(path.c_str(), ZIP_RDONLY, &error);
    if (archive.zip == nullptr)
      throw BadJob{"it is not a job file (not a ZIP)", "choose a file ending in .anvil"};
    std::uintmax_t unpacked = 0;
    for (zip_int64_t i = 0; i < zip_get_num_entries(archive.zip, 0); ++i) {
      zip_stat_t status;
      if (zip_stat_index(archive.zip, static_cast<zip_uint64_t>(i), 0, &status) == 0) unpacked += status.size;
    }
    if (unpacked > most_unpacked_share * std::filesystem::file_size(path) + (1u << 20))
      throw BadJob{fmt::format("it unpacks to {} bytes, far more than such a file can hold", unpacked),
                   "it may be damaged or hostile: restore it from a backup"};
    json document;
    try {
      document = json::parse(archive.read("job.json"));
    } catch (const json::exception& bad) {
      throw BadJob{fmt::format("job.json: {}", bad.what()), "restore it from a backup"};
    }
    if (const int version = value<int>(document, "version", "the job"); version != format_version)
      throw BadJob{fmt::format("it has format version {}, this program reads {}", version, format_version),
                   "open it with a newer version"};
    Job job;
    job.title = value<std::string>(document, "title", "the job");
    if (document.contains("unit")) {
      const auto key = value<std::string>(document, "unit", "the job");
      for (Unit unit : {Unit::millimetre, Unit::inch, Unit::metre})
        if (key == key_of(unit)) job.unit = unit;
    }
    const json& parts = member(document, "parts", "the job");
    for (std::size_t i = 0; i < parts.size(); ++i) {
      job.parts.push_back(
          std::make_shared<const Part>(read_part(parts[i], archive, fmt::format("part {}", i + 1))));
      job.next_id = std::max(job.next_id, job.parts.back()->id + 1);
    }
    check_references(job);
    return job;
  } catch (const BadJob& bad) {
    return Issue{bad.what, path.string(), {}, bad.remedy};
  }
}

Result<std::uintmax_t> save_job(const Job& job, const std::filesystem::path& path) {
  json parts = json::array();
  std::map<const Mesh*, std::string> entry_of;
  std::vector<PackageEntry> entries{{"job.json", {}}};
  for (const PartPtr& part : job.parts) {
    json source;
    if (const auto* primitive = std::get_if<Primitive>(&part->source)) {
      const PrimitiveSpec& spec = spec_of(primitive->kind);
      json dimensions = json::object();
      for (std::size_t i = 0; i < spec.dimensions.size(); ++i)
        dimensions[spec.dimensions[i].key] = primitive->values[i];
      source = {{"primitive", spec.key}, {"dimensions", dimensions}};
    } else {
      const auto& imported = std::get<ImportedSource>(part->source);
      std::string& entry = entry_of[imported.mesh.get()];
      if (entry.empty()) {
        entry = fmt::format("meshes/{}.ply", part->id);
        entries.push_back({entry, write_ply(*imported.mesh)});
      }
      source = {{"mesh", entry}, {"file", imported.file}};
      if (!imported.mesh->materials.empty()) source["slots"] = to_json(imported.mesh->materials);
    }
    json recipe = json::array();
    for (const Step& step : part->recipe) recipe.push_back(to_json(step));
    json object = {{"id", part->id},           {"name", part->name},
                   {"source", source},         {"placement", to_json(part->placement)},
                   {"visible", part->visible}, {"locked", part->locked},
                   {"recipe", recipe}};
    if (part->rides_on) object["rides_on"] = *part->rides_on;
    if (part->tint) object["tint"] = *part->tint;
    parts.push_back(std::move(object));
  }
  json document = {{"version", format_version}, {"title", job.title}, {"parts", parts}};
  if (job.unit) document["unit"] = key_of(*job.unit);
  entries.front().contents = document.dump(1, ' ', false, json::error_handler_t::replace);
  return write_package(path, entries);
}

bool needs_unit(const std::filesystem::path& path) {
  const auto format = format_of(path);
  return format && *format != MeshFormat::threemf;
}

Result<Part> import_part(const std::filesystem::path& path, Unit unit, std::vector<std::string>* notes) {
  Result<Import> import = read_mesh(path);
  if (!import) return import.issue();
  if (!import->has_unit && unit != Unit::millimetre)
    for (Vec3& p : import->mesh.positions) p *= millimetres_per(unit);
  if (notes != nullptr) *notes = import->notes;
  Part part;
  part.name = path.stem().string();
  part.source =
      ImportedSource{std::make_shared<const Mesh>(std::move(import->mesh)), path.filename().string()};
  return part;
}

Mesh placed_together(const std::vector<PlacedMesh>& meshes) {
  Mesh all;
  for (const PlacedMesh& placed : meshes) {
    Mesh copy = *placed.mesh;
    if (!placed.placement.isApprox(Affine::Identity(), 0)) {
      for (Vec3& p : copy.positions) p = placed.placement * p;
      if (placed.placement.linear().determinant() < 0) reverse_faces(copy);
    }
    append(all, copy);
  }
  return all;
}

}  // namespace anvil
