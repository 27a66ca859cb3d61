// SPDX-License-Identifier: GPL-3.0-or-later
#include "job/job_json.h"


#include <fmt/format.h>

#include <map>
#include <set>

#include "job/edit_common.h"

namespace anvil {
namespace {

using nlohmann::json;

constexpr const char* from_backup = "restore it from a backup";
constexpr double max_loaded_coordinate = 1e12, max_loaded_scale = 1e9;

[[noreturn]] void bad(const std::string& what, const char* remedy = from_backup) { throw BadFile{"job.json: " + what, remedy}; }

// Reading ------------------------------------------------------------------------------------------------------------

const json& member(const json& object, const char* key, const std::string& where) {
  if (!object.is_object()) bad(fmt::format("{} is not an object", where));
  const auto it = object.find(key);
  if (it == object.end()) bad(fmt::format("{} has no \"{}\"", where, key));
  return *it;
}

[[noreturn]] void wrong_type(const char* key, const std::string& where) { bad(fmt::format("\"{}\" of {} has the wrong type", key, where)); }

std::string text_of(const json& object, const char* key, const std::string& where) {
  const json& value = member(object, key, where);
  if (!value.is_string()) wrong_type(key, where);
  return value.get<std::string>();
}

bool switch_of(const json& object, const char* key, const std::string& where) {
  const json& value = member(object, key, where);
  if (!value.is_boolean()) wrong_type(key, where);
  return value.get<bool>();
}

const json& list_of(const json& object, const char* key, const std::string& where) {
  const json& value = member(object, key, where);
  if (!value.is_array()) wrong_type(key, where);
  return value;
}

std::uint64_t whole_of(const json& value, std::uint64_t max, const char* key, const std::string& where) {
  if (!value.is_number_integer() || (!value.is_number_unsigned() && value.get<std::int64_t>() < 0) || value.get<std::uint64_t>() > max)
    bad(fmt::format("\"{}\" of {} is not a whole number from 0 to {}", key, where, max));
  return value.get<std::uint64_t>();
}

std::uint32_t id_of(const json& object, const char* key, const std::string& where) {
  const auto id = static_cast<std::uint32_t>(whole_of(member(object, key, where), no_index - 1, key, where));
  if (id == 0) bad(fmt::format("\"{}\" of {} is zero, which is no id", key, where));
  return id;
}

Vec3 vector_of(const json& value, const char* key, const std::string& where) {
  if (!value.is_array() || value.size() != 3) bad(fmt::format("\"{}\" of {} needs three numbers", key, where));
  Vec3 v;
  for (int k = 0; k < 3; ++k) {
    const json& number = value[static_cast<std::size_t>(k)];
    if (!number.is_number()) wrong_type(key, where);
    v[k] = number.get<double>();
  }
  if (!v.allFinite() || v.cwiseAbs().maxCoeff() > max_loaded_coordinate) bad(fmt::format("\"{}\" of {} is out of range", key, where));
  return v;
}

/// In place of a length that is left to the program.
constexpr const char* automatic_word = "auto";

FieldValue field_value(const Field& field, const json& value, const std::string& where) {
  FieldValue result;
  if (field.automatic && value == automatic_word) return automatic_length;
  if (std::holds_alternative<double>(field.initial)) {
    if (!value.is_number()) wrong_type(field.key.c_str(), where);
    result = value.get<double>();
  } else if (std::holds_alternative<bool>(field.initial)) {
    if (!value.is_boolean()) wrong_type(field.key.c_str(), where);
    result = value.get<bool>();
  } else if (std::holds_alternative<std::string>(field.initial)) {
    if (!value.is_string()) wrong_type(field.key.c_str(), where);
    result = value.get<std::string>();
  } else {
    result = vector_of(value, field.key.c_str(), where);
  }
  if (field.automatic && result == FieldValue(automatic_length)) wrong_type(field.key.c_str(), where);
  if (const auto issue = check_value(field, result)) bad(fmt::format("{}: {}", where, issue->message()), "correct the value");
  return result;
}

/// @param values  an object by field keys; what it does not have keeps its initial value
FieldValues field_values(std::span<const Field> fields, const json& values, bool all, const std::string& where) {
  if (!values.is_object()) bad(fmt::format("the values of {} are not an object", where));
  FieldValues result;
  for (const Field& field : fields) {
    const auto it = values.find(field.key);
    if (it == values.end() && all) bad(fmt::format("{} has no \"{}\"", where, field.key));
    result.push_back(it == values.end() ? field.initial : field_value(field, *it, where));
  }
  for (const auto& [key, value] : values.items())
    if (!field_place(fields, key))
      bad(fmt::format("{} has a value \"{}\" that is not known here", where, key), "open it with the version that wrote it");
  return result;
}

MaterialSlots read_slots(const json& object, std::size_t faces, const std::string& where) {
  MaterialSlots slots;
  const auto misfit = [&] { bad(fmt::format("the material slots of {} do not fit its mesh", where)); };
  for (const json& name : list_of(object, "names", where)) {
    if (!name.is_string()) wrong_type("names", where);
    slots.names.push_back(name.get<std::string>());
  }
  for (const json& run : list_of(object, "runs", where)) {
    if (!run.is_array() || run.size() != 2) wrong_type("runs", where);
    const auto slot = static_cast<Index>(whole_of(run[0], no_index - 1, "runs", where));
    const auto count = static_cast<std::size_t>(whole_of(run[1], no_index - 1, "runs", where));
    if (slot >= slots.names.size() || count > faces - slots.of_face.size()) misfit();
    slots.of_face.insert(slots.of_face.end(), count, slot);
  }
  if (slots.of_face.size() != faces) misfit();
  return slots;
}

std::vector<Index> read_regions(const json& object, std::size_t faces, const std::string& where) {
  std::vector<Index> regions;
  for (const json& run : list_of(object, "regions", where)) {
    if (!run.is_array() || run.size() != 2) wrong_type("regions", where);
    const auto number = static_cast<Index>(whole_of(run[0], no_index - 1, "regions", where));
    const auto count = static_cast<std::size_t>(whole_of(run[1], no_index - 1, "regions", where));
    if (count > faces - regions.size()) break;
    regions.insert(regions.end(), count, number);
  }
  if (regions.size() != faces) bad(fmt::format("the regions of {} do not fit its mesh", where));
  return regions;
}

/// What is left out of a job that is read as far as it is whole; null: anything wrong refuses it.
using Lost = std::vector<std::string>;

/// Reads something; what is wrong with it is told as lost, where that is allowed. @return whether it was read
template <class Read>
bool attempt(Lost* lost, Read&& read) {
  try {
    read();
    return true;
  } catch (const BadFile& bad) {
    if (lost == nullptr) throw;
    lost->push_back(bad.what.starts_with("job.json: ") ? bad.what.substr(10) : bad.what);
    return false;
  }
}

/// Meshes by their entries: what several parts share is one mesh again.
class MeshReader {
 public:
  explicit MeshReader(const std::function<Mesh(const std::string&)>& read) : read_(read) {}

  /// @param key  of the entry's name; its material slots and regions stand beside it
  std::shared_ptr<const Mesh> mesh_of(const json& object, const char* key, const std::string& where) {
    const std::string entry = text_of(object, key, where);
    const auto slots = object.find("slots"), regions = object.find("regions");
    std::shared_ptr<const Mesh>& known =
        known_[entry + '\0' + (slots == object.end() ? std::string() : slots->dump()) + '\0' + (regions == object.end() ? std::string() : regions->dump())];
    if (known) return known;
    Mesh read = read_(entry);
    if (slots != object.end()) read.materials = read_slots(*slots, read.face_count(), where);
    if (regions != object.end()) read.regions = read_regions(object, read.face_count(), where);
    return known = std::make_shared<const Mesh>(std::move(read));
  }

 private:
  const std::function<Mesh(const std::string&)>& read_;
  std::map<std::string, std::shared_ptr<const Mesh>> known_;
};

Step read_step(const json& object, int version, MeshReader& mesh, StepTable table, const std::string& where);

constexpr int max_forgings = 1000;

Source read_source(const json& source, int version, MeshReader& mesh, StepTable table, const std::string& where, int depth = 0) {
  if (depth > max_forgings) bad(fmt::format("{} was forged more than {} times", where, max_forgings));
  if (!source.is_object()) bad(fmt::format("\"source\" of {} has the wrong type", where));
  if (source.contains("part")) {
    PartSource from{id_of(source, "part", where), nullptr};
    if (source.contains("kept")) from.kept = mesh.mesh_of(source, "kept", where);
    return from;
  }
  if (source.contains("forged")) {
    ForgedSource forged{mesh.mesh_of(source, "forged", where), nullptr};
    const json& before = member(source, "before", where);
    Forging made{read_source(member(before, "source", where), version, mesh, table, where, depth + 1), {}};
    const json& recipe = list_of(before, "recipe", where);
    for (std::size_t k = 0; k < recipe.size(); ++k) made.recipe.push_back(read_step(recipe[k], version, mesh, table, fmt::format("{}, forged step {},", where, k + 1)));
    forged.before = std::make_shared<const Forging>(std::move(made));
    return forged;
  }
  if (source.contains("mesh")) return ImportedSource{mesh.mesh_of(source, "mesh", where), text_of(source, "file", where)};
  std::string key = text_of(source, "primitive", where);
  std::replace(key.begin(), key.end(), '_', '-');  // as version 1 wrote it
  const StockKind* kind = find_stock(key);
  if (kind == nullptr)
    bad(fmt::format("{}: \"{}\" is not a primitive known here", where, key), "open it with the version that wrote it");
  return Primitive{kind, field_values(kind->fields, member(source, "dimensions", where), true, where)};
}

Placement read_placement(const json& placement, const std::string& where) {
  Placement read{vector_of(member(placement, "position", where), "position", where),
                 vector_of(member(placement, "angles", where), "angles", where),
                 vector_of(member(placement, "scale", where), "scale", where),
                 placement.contains("shear") ? vector_of(placement["shear"], "shear", where) : Vec3(Vec3::Zero())};
  const auto size = read.scale.cwiseAbs();
  if (size.minCoeff() == 0) bad(fmt::format("{} has a scale of zero", where));
  if (size.minCoeff() < 1 / max_loaded_scale || size.maxCoeff() > max_loaded_scale)
    bad(fmt::format("the scale of {} is not between {} and {}", where, 1 / max_loaded_scale, max_loaded_scale));
  return read;
}

constexpr int max_nested = 100;  // trays in trays: more is no job that anybody made

ToolUse read_row(const json& object, MeshReader& mesh, const std::string& where, int depth = 0) {
  if (depth > max_nested) bad(fmt::format("{} has trays within trays, more than {} deep", where, max_nested));
  ToolUse row;
  if (!object.is_object()) bad(fmt::format("\"tools\" of {} has the wrong type", where));
  if (object.contains("id")) row.id = id_of(object, "id", where);
  const auto operation = operation_named(text_of(object, "operation", where));
  if (!operation) bad(operation.issue().message());
  row.operation = *operation;
  row.on = switch_of(object, "on", where);
  if (!object.contains("tray")) {
    row.tool = id_of(object, "tool", where);
    if (object.contains("kept")) row.kept = mesh.mesh_of(object, "kept", where);
    return row;
  }
  row.name = text_of(object, "tray", where);
  if (object.contains("set"))
    row.set = id_of(object, "set", where);
  else
    for (const json& inner : list_of(object, "tools", where)) row.inside.push_back(read_row(inner, mesh, where, depth + 1));
  return row;
}

/// Before version 3 a switch said whether near faces meet, and a length within what; 0 was what suits the size.
json with_contact_as_length(json fields) {
  if (!fields.is_object() || (fields.contains("contact") ? !fields["contact"].is_boolean() : !fields.contains("within"))) return fields;
  const json within = fields.value("within", json(0.0));
  const bool is_on = fields.value("contact", true), suits = within.is_number() && within.get<double>() == 0;
  fields["contact"] = !is_on ? json(0.0) : suits ? json(automatic_word) : within;
  fields.erase("within");
  return fields;
}

/// Fields as this version knows them. Chamfers and rounds once had a length for welding, which their results do not need.
json with_known_fields(const StepKind& kind, const json& fields) {
  if (&kind == &steps::combine) return with_contact_as_length(fields);
  json known = fields;
  if ((&kind == &steps::chamfer || &kind == &steps::round) && known.is_object()) known.erase("weld");
  return known;
}

Step read_step(const json& object, int version, MeshReader& mesh, StepTable table, const std::string& where) {
  const std::string key = text_of(object, version == 1 ? "step" : "kind", where);
  const StepKind* kind = find_step_kind(key, table);
  if (kind == nullptr)
    bad(fmt::format("{} has a step \"{}\" that is not known here", where, key), "open it with the version that wrote it");
  Step step = new_step(*kind);
  if (version > 1) {
    step.id = id_of(object, "id", where);
    if (object.contains("name")) step.name = text_of(object, "name", where);
    const json& fields = member(object, "fields", where);
    step.fields = field_values(kind->fields, with_known_fields(*kind, fields), false, where);
  }
  step.on = switch_of(object, "on", where);
  if (version == 1 || object.contains("tools"))
    for (const json& row : list_of(object, "tools", where)) step.tools.push_back(read_row(row, mesh, where));
  if (kind != &steps::combine && std::any_of(step.tools.begin(), step.tools.end(), [](const ToolUse& row) { return row.is_tray(); }))
    bad(fmt::format("{}: a step \"{}\" takes no trays", where, key));
  if (kind->tools == ToolRule::none && !step.tools.empty()) bad(fmt::format("{}: a step \"{}\" takes no tools", where, key));
  return step;
}

Part read_part(const json& object, int version, MeshReader& mesh, StepTable table, const std::string& where, Lost* lost) {
  Part part;
  part.id = id_of(object, "id", where);
  part.name = text_of(object, "name", where);
  part.source = read_source(member(object, "source", where), version, mesh, table, where);
  part.placement = read_placement(member(object, "placement", where), where);
  if (object.contains("rides_on")) part.rides_on = id_of(object, "rides_on", where);
  if (object.contains("tint")) part.tint = static_cast<std::uint32_t>(whole_of(object["tint"], 0xFFFFFF, "tint", where));
  part.visible = switch_of(object, "visible", where);
  part.locked = switch_of(object, "locked", where);
  const json& recipe = list_of(object, "recipe", where);
  for (std::size_t k = 0; k < recipe.size(); ++k)
    attempt(lost, [&] { part.recipe.push_back(read_step(recipe[k], version, mesh, table, fmt::format("{}, step {},", where, k + 1))); });
  return part;
}

/// Takes out of a job what names something that is not there, and gives new ids to what has one that is used before.
void drop_dangling(Job& job, std::vector<Part>& parts, Lost& lost) {
  std::set<PartId> ids;
  for (Part& part : parts)
    if (!ids.insert(part.id).second) ids.insert(part.id = job.next_id++);
  // A part that is made from one that is lost is lost with it.
  const auto is_orphan = [&](const Part& part) {
    const auto* from = std::get_if<PartSource>(&part.source);
    return from != nullptr && from->kept == nullptr && !ids.contains(from->part);
  };
  for (auto it = parts.begin(); (it = std::find_if(parts.begin(), parts.end(), is_orphan)) != parts.end(); it = parts.begin()) {
    lost.push_back(fmt::format("the part \"{}\", which is made from a part that is lost", it->name));
    ids.erase(it->id);
    parts.erase(it);
  }
  std::set<SetId> sets;
  std::erase_if(job.sets, [&](PartSet& set) {
    std::erase_if(set.parts, [&](PartId id) { return !ids.contains(id); });
    return !sets.insert(set.id).second;
  });
  std::set<StepId> steps;
  std::set<UseId> uses;
  for (Part& part : parts) {
    if (part.rides_on && !ids.contains(*part.rides_on)) part.rides_on.reset();
    for (Step& step : part.recipe) {
      if (!steps.insert(step.id).second) steps.insert(step.id = job.next_step++);
      std::set<PartId> tools;
      const std::function<void(std::vector<ToolUse>&)> clean = [&](std::vector<ToolUse>& rows) {
        std::erase_if(rows, [&](const ToolUse& row) {
          const bool gone = row.is_tray() ? row.set != 0 && !sets.contains(row.set) : !ids.contains(row.tool);
          if (gone) lost.push_back(fmt::format("a tool of \"{}\", whose part is lost", part.name));
          return gone || (!row.is_tray() && !tools.insert(row.tool).second);
        });
        for (ToolUse& row : rows) {
          if (!uses.insert(row.id).second) uses.insert(row.id = job.next_use++);
          clean(row.inside);
        }
      };
      clean(step.tools);
    }
  }
}

/// Ids have to be unique, what is named has to exist, and nothing may be made from itself or ride on itself.
void check_references(const Job& job) {
  std::set<PartId> parts;
  std::set<StepId> steps;
  std::set<UseId> uses;
  std::set<SetId> sets;
  const auto there = [&](PartId id) {
    if (job.find(id) == nullptr) bad(fmt::format("a part refers to part {}, which is not there", id));
  };
  for (const PartSet& set : job.sets) {
    if (!sets.insert(set.id).second) bad(fmt::format("id {} of the set \"{}\" is used twice", set.id, set.name));
    for (PartId part : set.parts) there(part);
  }
  for (const PartPtr& part : job.parts) {
    if (!parts.insert(part->id).second) bad(fmt::format("part id {} is used twice", part->id));
    for (const Step& step : part->recipe) {
      if (!steps.insert(step.id).second) bad(fmt::format("id {} of a step of \"{}\" is used twice", step.id, part->name));
      std::set<PartId> tools;
      edit::for_each_row(step.tools, [&](const ToolUse& row) {
        if (!uses.insert(row.id).second) bad(fmt::format("id {} of a tool of \"{}\" is used twice", row.id, part->name));
        if (row.set != 0 && !sets.contains(row.set)) bad(fmt::format("a tray of \"{}\" holds set {}, which is not there", part->name, row.set));
        if (row.is_tray()) return;
        there(row.tool);
        if (!tools.insert(row.tool).second) bad(fmt::format("part {} is a tool of one step of \"{}\" twice", row.tool, part->name));
      });
    }
  }
  // Depth-first over what each needs; a part met again on the way down is made from itself.
  constexpr int max_chain = 1000;  // parts made of parts made of parts: more is no job that anybody made
  std::map<PartId, int> longest;  // chain down from each part, itself among it; 0 on the way down
  std::function<int(PartId, int)> visit = [&](PartId id, int above) -> int {
    there(id);
    if (const auto known = longest.find(id); known != longest.end()) {
      if (known->second == 0) bad(fmt::format("part \"{}\" is made from itself", job.at(id).name));
      return known->second;
    }
    longest[id] = 0;
    int below = 0;
    if (above < max_chain)
      for (PartId needed : job.needs_of(id)) below = std::max(below, visit(needed, above + 1));
    if (above + below >= max_chain) bad(fmt::format("part \"{}\" is made of parts that are made of parts, more than {} deep", job.at(id).name, max_chain));
    return longest[id] = below + 1;
  };
  for (const PartPtr& part : job.parts) visit(part->id, 0);
  for (const PartPtr& part : job.parts) {
    const Part* at = part.get();
    for (std::size_t depth = 0; at != nullptr && at->rides_on; ++depth) {
      at = job.find(*at->rides_on);
      if (at == nullptr || depth > job.parts.size()) bad(fmt::format("part \"{}\" rides on nothing or on itself", part->name));
    }
  }
}

// Writing ------------------------------------------------------------------------------------------------------------

json to_json(const Vec3& v) { return {v.x(), v.y(), v.z()}; }

json to_json(const FieldValue& value) {
  if (const auto* v = std::get_if<Vec3>(&value)) return to_json(*v);
  if (const auto* on = std::get_if<bool>(&value)) return *on;
  if (const auto* text = std::get_if<std::string>(&value)) return *text;
  return std::get<double>(value);
}

json to_json(std::span<const Field> fields, const FieldValues& values) {
  json object = json::object();
  for (std::size_t k = 0; k < fields.size(); ++k)
    object[fields[k].key] = fields[k].automatic && values[k] == FieldValue(automatic_length) ? json(automatic_word) : to_json(values[k]);
  return object;
}

json to_json(const Placement& p) {
  json object = {{"position", to_json(p.position)}, {"angles", to_json(p.angles)}, {"scale", to_json(p.scale)}};
  if (p.shear != Vec3::Zero()) object["shear"] = to_json(p.shear);
  return object;
}

/// Slots of faces in runs: a slot and how many faces have it.
/// Equal numbers one after the other as [number, how many].
json runs_of(const std::vector<Index>& numbers) {
  json runs = json::array();
  for (std::size_t f = 0, end = 0; f < numbers.size(); f = end) {
    while (end < numbers.size() && numbers[end] == numbers[f]) ++end;
    runs.push_back({numbers[f], end - f});
  }
  return runs;
}

json to_json(const MaterialSlots& slots) { return {{"names", slots.names}, {"runs", runs_of(slots.of_face)}}; }

/// A mesh under a key, with its slots and regions beside it.
void put_mesh(json& object, const char* key, const std::shared_ptr<const Mesh>& mesh, const MeshWriter& entry) {
  object[key] = entry(mesh);
  if (!mesh->materials.empty()) object["slots"] = to_json(mesh->materials);
  if (!mesh->regions.empty()) object["regions"] = runs_of(mesh->regions);
}

json to_json(const ToolUse& row, const MeshWriter& entry) {
  json object = {{"id", row.id}, {"operation", key_of(row.operation)}, {"on", row.on}};
  if (!row.is_tray()) {
    object["tool"] = row.tool;
    if (row.kept) put_mesh(object, "kept", row.kept, entry);
    return object;
  }
  object["tray"] = row.name;
  if (row.set != 0) {
    object["set"] = row.set;
    return object;
  }
  object["tools"] = json::array();
  for (const ToolUse& inner : row.inside) object["tools"].push_back(to_json(inner, entry));
  return object;
}

json to_json(const Step& step, const MeshWriter& entry) {
  json object = {{"id", step.id}, {"kind", step.kind->key}, {"on", step.on}, {"fields", to_json(step.kind->fields, step.fields)}};
  if (!step.name.empty()) object["name"] = step.name;
  if (step.kind->tools == ToolRule::none) return object;
  json tools = json::array();
  for (const ToolUse& row : step.tools) tools.push_back(to_json(row, entry));
  object["tools"] = std::move(tools);
  return object;
}

json to_json(const std::vector<Step>& recipe, const MeshWriter& entry) {
  json steps = json::array();
  for (const Step& step : recipe) steps.push_back(to_json(step, entry));
  return steps;
}

json to_json(const Source& source, const MeshWriter& entry) {
  if (const auto* primitive = std::get_if<Primitive>(&source)) return {{"primitive", primitive->kind->key}, {"dimensions", to_json(primitive->kind->fields, primitive->values)}};
  json object;
  if (const auto* from = std::get_if<PartSource>(&source)) {
    object["part"] = from->part;
    if (from->kept) put_mesh(object, "kept", from->kept, entry);
  } else if (const auto* forged = std::get_if<ForgedSource>(&source)) {
    put_mesh(object, "forged", forged->mesh, entry);
    object["before"] = {{"source", to_json(forged->before->source, entry)}, {"recipe", to_json(forged->before->recipe, entry)}};
  } else {
    const auto& imported = std::get<ImportedSource>(source);
    put_mesh(object, "mesh", imported.mesh, entry);
    object["file"] = imported.file;
  }
  return object;
}

/// Ids that are named anywhere are not given again, also those of parts that are deleted and of what was forged.
void reserve_ids(Job& job, const Source& source, const std::vector<Step>& recipe) {
  if (const auto* from = std::get_if<PartSource>(&source)) job.next_id = std::max(job.next_id, from->part + 1);
  if (const auto* forged = std::get_if<ForgedSource>(&source)) reserve_ids(job, forged->before->source, forged->before->recipe);
  for (const Step& step : recipe) {
    job.next_step = std::max(job.next_step, step.id + 1);
    edit::for_each_row(step.tools, [&](const ToolUse& row) {
      job.next_use = std::max(job.next_use, row.id + 1);
      job.next_id = std::max(job.next_id, row.tool + 1);
    });
  }
}

}  // namespace

json settings_to_json(const Step& step) {
  json object = {{"kind", step.kind->key}, {"on", step.on}, {"fields", to_json(step.kind->fields, step.fields)}};
  if (!step.name.empty()) object["name"] = step.name;
  return object;
}

Step settings_from_json(const json& object, StepTable table, const std::string& where) {
  if (!object.is_object()) throw BadFile{fmt::format("{} is not an object", where), from_backup};
  json whole = object;
  whole["id"] = 1;
  whole.erase("tools");
  const std::function<Mesh(const std::string&)> none = [](const std::string&) -> Mesh { throw BadFile{"a template holds no meshes", from_backup}; };
  MeshReader reader(none);
  Step step = read_step(whole, job_format_version, reader, table, where);
  step.id = 0;
  return step;
}

int version_of_json(const json& document) { return static_cast<int>(whole_of(member(document, "version", "the job"), 1'000'000, "version", "the job")); }

Job job_from_json(const json& document, const std::function<Mesh(const std::string& entry)>& mesh, StepTable table, std::vector<std::string>* lost) {
  int version = version_of_json(document);
  if (lost != nullptr) version = std::clamp(version, 1, job_format_version);
  if (version < 1 || version > job_format_version)
    throw BadFile{fmt::format("it has format version {}, this program reads 1 to {}", version, job_format_version),
                  "open it with a newer version"};
  Job job;
  attempt(lost, [&] { job.title = text_of(document, "title", "the job"); });
  if (document.contains("unit")) attempt(lost, [&] {
    const std::string key = text_of(document, "unit", "the job");
    for (Unit unit : {Unit::millimetre, Unit::inch, Unit::metre})
      if (key == key_of(unit)) job.unit = unit;
    if (!job.unit) bad(fmt::format("the unit \"{}\" is not mm, inch or m", key));
  });
  if (document.contains("sets"))
    for (const json& object : list_of(document, "sets", "the job"))
      attempt(lost, [&] {
        PartSet set{id_of(object, "id", "a set"), text_of(object, "name", "a set"), {}};
        for (const json& part : list_of(object, "parts", "a set")) set.parts.push_back(static_cast<PartId>(whole_of(part, no_index - 1, "parts", "a set")));
        job.next_set = std::max(job.next_set, set.id + 1);
        job.sets.push_back(std::move(set));
      });
  const json& parts = list_of(document, "parts", "the job");
  MeshReader reader(mesh);
  std::vector<Part> read;
  for (std::size_t i = 0; i < parts.size(); ++i) {
    if (!attempt(lost, [&] { read.push_back(read_part(parts[i], version, reader, table, fmt::format("part {}", i + 1), lost)); })) continue;
    job.next_id = std::max(job.next_id, read.back().id + 1);
    reserve_ids(job, read.back().source, read.back().recipe);
  }
  if (lost != nullptr) drop_dangling(job, read, *lost);
  for (Part& part : read) {
    for (Step& step : part.recipe) {
      if (version == 1) step.id = job.next_step++;
      // Rows had no ids before there were trays.
      edit::for_each_row(step.tools, [&](ToolUse& row) {
        if (row.id == 0) row.id = job.next_use++;
      });
    }
    job.parts.push_back(std::make_shared<const Part>(std::move(part)));
  }
  check_references(job);
  return job;
}

json job_to_json(const Job& job, const MeshWriter& entry) {
  json parts = json::array();
  for (const PartPtr& part : job.parts) {
    json object = {{"id", part->id},
                   {"name", part->name},
                   {"source", to_json(part->source, entry)},
                   {"placement", to_json(part->placement)},
                   {"visible", part->visible},
                   {"locked", part->locked},
                   {"recipe", to_json(part->recipe, entry)}};
    if (part->rides_on) object["rides_on"] = *part->rides_on;
    if (part->tint) object["tint"] = *part->tint;
    parts.push_back(std::move(object));
  }
  json document = {{"version", job_format_version}, {"title", job.title}, {"parts", parts}};
  for (const PartSet& set : job.sets) document["sets"].push_back({{"id", set.id}, {"name", set.name}, {"parts", set.parts}});
  if (job.unit) document["unit"] = key_of(*job.unit);
  return document;
}

}  // namespace anvil
