// SPDX-License-Identifier: GPL-3.0-or-later
#include "cli/report_json.h"

#include <fmt/format.h>

namespace anvil::cli {
namespace {

Json vector_json(const Vec3& v) { return Json{v.x(), v.y(), v.z()}; }

}  // namespace

Json check_json(const std::string& file, const SoundnessReport& report) {
  Json bounds = Json::array();
  if (!report.bounds.empty()) bounds = {vector_json(report.bounds.lo), vector_json(report.bounds.hi)};
  Json defects, notes = Json::object();
  for (const FamilyReport& found : report.families) {
    (found.family->role == FamilyRole::note ? notes : defects)[found.family->key] = found.count;
    if (found.family == &families::open_edges) defects["holes"] = report.holes();
  }
  Json object;
  object["file"] = as_utf8(file);
  object["vertices"] = report.vertices;
  object["triangles"] = report.triangles;
  object["polygons"] = report.polygons;
  object["shells"] = report.shells;
  object["sound"] = report.sound;
  object["volume"] = report.volume;
  object["area"] = report.area;
  object["bounds"] = bounds;
  object["genus"] = report.genus ? Json(*report.genus) : Json(nullptr);
  object["defects"] = defects;
  object["notes"] = notes;
  return object;
}

Json operation_json(const std::vector<std::string>& inputs, const Json& result, const OperationReport& report,
                    const Seconds& seconds) {
  Json stages = Json::object(), did = Json::array(), names = Json::array();
  for (const std::string& input : inputs) names.push_back(as_utf8(input));
  for (const auto& stage : report.stages) stages[stage.name] = stage.seconds;
  for (const auto& item : report.done) did.push_back({{"what", item.what()}, {"count", item.count}, {"part", as_utf8(item.part)}});
  Json object;
  object["input"] = names;
  object["result"] = result;
  object["report"] = {
      {"seconds", {{"read", seconds.read}, {"compute", seconds.compute}, {"check", seconds.check}, {"write", seconds.write}}},
      {"stages", stages},
      {"done", did},
      {"moved", report.moved},
      {"fallback", report.fallbacks}};
  return object;
}

Json field_json(const Field& field) {
  Json object;
  object["key"] = field.key;
  object["label"] = field.label;
  object["what"] = name_of(field.kind);
  if (*unit_of(field.kind) != '\0') object["unit"] = unit_of(field.kind);
  if (!field.choices.empty()) {
    Json choices = Json::array();
    for (const FieldChoice& choice : field.choices) choices.push_back(choice.key);
    object["choices"] = choices;
  } else if (std::holds_alternative<double>(field.initial) || field.kind == FieldKind::point) {
    object["range"] = {field.min, field.max};
  }
  if (const auto* v = std::get_if<Vec3>(&field.initial))
    object["initial"] = vector_json(*v);
  else if (const auto* number = std::get_if<double>(&field.initial))
    object["initial"] = field.automatic ? Json(to_text(field, field.initial)) : Json(*number);
  else
    object["initial"] = to_text(field.initial);
  object["help"] = field.help;
  return object;
}

}  // namespace anvil::cli
