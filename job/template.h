// SPDX-License-Identifier: GPL-3.0-or-later
// Templates: steps with their settings, without their tools, kept under a name to be used again. Each is a readable file of
// its own (docs/file-format.md) that can be sent to others.
#pragma once

#include <filesystem>

#include "job/edit.h"

namespace anvil {

struct StepTemplate {
  std::string name;
  std::vector<Step> steps;  ///< without ids and tools
};

inline constexpr const char* template_ending = ".steps.json";

/// Steps of a recipe as a template, in the order of the recipe.
StepTemplate template_of(const Job& job, const std::vector<StepId>& steps, const std::string& name);

std::string template_to_text(const StepTemplate& made);
/// @param subject  names the text in messages: its file
Result<StepTemplate> template_from_text(const std::string& text, const std::string& subject, StepTable table = step_table());

Result<StepTemplate> load_template(const std::filesystem::path& path, StepTable table = step_table());
Result<std::uintmax_t> save_template(const StepTemplate& made, const std::filesystem::path& path);

namespace edit {
/// Adds the steps of a template to a recipe. @param ids  receives those of the steps
Result<Job> add_template(const Job& job, PartId part, const StepTemplate& made, const StepPlace& place = {}, std::vector<StepId>* ids = nullptr);
}  // namespace edit

}  // namespace anvil
