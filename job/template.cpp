// SPDX-License-Identifier: GPL-3.0-or-later
#include "job/template.h"

#include <fmt/format.h>

#include <algorithm>

#include "job/file/json_text.h"
#include "job/job_json.h"

namespace anvil {
namespace {

constexpr int template_version = 1;
constexpr const char* from_sender = "ask for it again";

}  // namespace

StepTemplate template_of(const Job& job, const std::vector<StepId>& steps, const std::string& name) {
  StepTemplate made{name, {}};
  for (const PartPtr& part : job.parts)
    for (const Step& step : part->recipe) {
      if (std::find(steps.begin(), steps.end(), step.id) == steps.end()) continue;
      made.steps.push_back(step);
      made.steps.back().id = 0;
      made.steps.back().tools.clear();
    }
  return made;
}

std::string template_to_text(const StepTemplate& made) {
  nlohmann::json document = {{"template", template_version}, {"name", made.name}, {"steps", nlohmann::json::array()}};
  for (const Step& step : made.steps) document["steps"].push_back(settings_to_json(step));
  return document.dump(1, ' ', false, nlohmann::json::error_handler_t::replace) + "\n";
}

Result<StepTemplate> template_from_text(const std::string& text, const std::string& subject, StepTable table) {
  nlohmann::json document;
  try {
    document = parse_json(text, "the template");
  } catch (const BadFile& bad) {
    return Issue{bad.what, subject, {}, from_sender};
  }
  if (!document.is_object()) return Issue{"is not a template: it is no JSON object", subject, {}, from_sender};
  const auto version = document.find("template");
  if (version == document.end() || !version->is_number_integer()) return Issue{"is not a template: it has no \"template\" with a version", subject, {}, from_sender};
  if (*version != template_version) return Issue{fmt::format("is a template of version {}, this program reads {}", version->dump(), template_version), subject, {}, "use a newer version"};
  const auto name = document.find("name"), steps = document.find("steps");
  if (name == document.end() || !name->is_string() || steps == document.end() || !steps->is_array() || steps->empty())
    return Issue{"is not a template: it has no \"name\" or no \"steps\"", subject, {}, from_sender};
  StepTemplate read{name->get<std::string>(), {}};
  try {
    for (std::size_t k = 0; k < steps->size(); ++k) read.steps.push_back(settings_from_json((*steps)[k], table, fmt::format("step {}", k + 1)));
  } catch (const BadFile& bad) {
    return Issue{bad.what, subject, {}, bad.remedy};
  }
  return read;
}

Result<StepTemplate> load_template(const std::filesystem::path& path, StepTable table) {
  const Result<FileBytes> bytes = FileBytes::read(path);
  if (!bytes) return bytes.issue();
  return template_from_text(std::string(bytes->view()), path.string(), table);
}

Result<std::uintmax_t> save_template(const StepTemplate& made, const std::filesystem::path& path) { return write_bytes(path, template_to_text(made)); }

Result<Job> edit::add_template(const Job& job, PartId part, const StepTemplate& made, const StepPlace& place, std::vector<StepId>* ids) {
  Result<Job> next = job;
  StepPlace at = place;
  for (const Step& step : made.steps) {
    if (!next) break;
    StepId id = 0;
    next = add_step(*next, part, step, &id, at);
    if (at.behind != 0) at.behind = id;
    if (ids != nullptr) ids->push_back(id);
  }
  return next;
}

}  // namespace anvil
