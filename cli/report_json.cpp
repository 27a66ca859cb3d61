// SPDX-License-Identifier: GPL-3.0-or-later
#include "cli/report_json.h"

#include <fmt/format.h>

namespace anvil::cli {
namespace {

Json vector_json(const Vec3& v) { return Json{v.x(), v.y(), v.z()}; }

/// Bytes of the UTF-8 sequence at the start of `text`; 0 when there is none.
std::size_t utf8_length(std::string_view text) {
  const auto byte = [&](std::size_t k) { return k < text.size() ? static_cast<unsigned char>(text[k]) : 0u; };
  const auto goes_on = [&](std::size_t k) { return (byte(k) & 0xC0) == 0x80; };
  if (byte(0) < 0x80) return 1;
  if (byte(0) >= 0xC2 && byte(0) < 0xE0 && goes_on(1)) return 2;
  if ((byte(0) & 0xF0) == 0xE0 && goes_on(1) && goes_on(2) && !(byte(0) == 0xE0 && byte(1) < 0xA0) && !(byte(0) == 0xED && byte(1) >= 0xA0))
    return 3;
  if (byte(0) >= 0xF0 && byte(0) < 0xF5 && goes_on(1) && goes_on(2) && goes_on(3) && !(byte(0) == 0xF0 && byte(1) < 0x90) &&
      !(byte(0) == 0xF4 && byte(1) >= 0x90))
    return 4;
  return 0;
}

}  // namespace

std::string as_utf8(const std::string& name) {
  std::string out;
  for (std::size_t at = 0; at < name.size();) {
    const std::size_t length = utf8_length(std::string_view(name).substr(at));
    if (length == 0) {
      out += fmt::format("\\x{:02X}", static_cast<unsigned char>(name[at++]));
    } else {
      out += name.substr(at, length);
      at += length;
    }
  }
  return out;
}

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
      {"done", did}};
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
    object["initial"] = *number;
  else
    object["initial"] = to_text(field.initial);
  object["help"] = field.help;
  return object;
}

}  // namespace anvil::cli
