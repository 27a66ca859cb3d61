// SPDX-License-Identifier: GPL-3.0-or-later
#include "cli/report_json.h"

namespace anvil::cli {

Json check_json(const std::string& file, const SoundnessReport& report) {
  auto vector = [](const Vec3& v) { return Json{v.x(), v.y(), v.z()}; };
  Json bounds = Json::array();
  if (!report.bounds.empty()) bounds = {vector(report.bounds.lo), vector(report.bounds.hi)};
  auto count = [&](Family family) { return report.of(family).count; };
  Json defects;
  defects["open_edges"] = count(Family::open_edges);
  defects["holes"] = report.holes;
  for (std::size_t f = 1; f < family_count; ++f)
    defects[key_of(static_cast<Family>(f))] = report.families[f].count;
  Json object;
  object["file"] = file;
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
  object["notes"] = {{"contact_edges", report.contact_edges}};
  return object;
}

Json combine_json(const std::vector<std::string>& inputs, const Json& result, const BooleanReport& report,
                  const Seconds& seconds) {
  Json stages = Json::object(), did = Json::array();
  for (const auto& stage : report.stages) stages[stage.name] = stage.seconds;
  for (const auto& item : report.done)
    did.push_back({{"what", item.what}, {"count", item.count}, {"part", item.part}});
  if (!report.empty_reason.empty())
    did.push_back({{"what", "empty: " + report.empty_reason}, {"count", 1}, {"part", inputs.front()}});
  Json object;
  object["input"] = inputs;
  object["result"] = result;
  object["report"] = {
      {"seconds", {{"read", seconds.read}, {"compute", seconds.compute}, {"write", seconds.write}}},
      {"stages", stages},
      {"done", did}};
  return object;
}

}  // namespace anvil::cli
