// SPDX-License-Identifier: GPL-3.0-or-later
// The job as JSON: what job.json of a job file holds (docs/file-format.md), read as something that may be damaged.
#pragma once

#include <functional>
#include <nlohmann/json.hpp>

#include "core/io/bytes.h"
#include "job/job.h"

namespace anvil {

inline constexpr int job_format_version = 3;

/// Gives the name of the entry under which a mesh is stored.
using MeshWriter = std::function<std::string(const std::shared_ptr<const Mesh>&)>;
nlohmann::json job_to_json(const Job& job, const MeshWriter& entry);

/// Reads version 1 and 2. Raises BadFile with the place in the document for everything that is not as it must be: missing
/// or of the wrong kind, out of its range, an id used twice or not there, a part made from itself, a tool twice in one step.
/// @param mesh  gives the mesh of an entry; may raise BadFile
/// @param lost  when given, a part, a set or a step that is not as it must be is left out and told there, with what names it;
///              a newer version is read as if it were this one; what the document as a whole lacks still raises BadFile
Job job_from_json(const nlohmann::json& document, const std::function<Mesh(const std::string& entry)>& mesh,
                  StepTable table = step_table(), std::vector<std::string>* lost = nullptr);
/// A step by itself, without its id and its tools: what a template holds.
nlohmann::json settings_to_json(const Step& step);
/// @param where  names it in messages. Raises BadFile.
Step settings_from_json(const nlohmann::json& object, StepTable table, const std::string& where);
/// The version that the document says it has. Raises BadFile when it says none.
int version_of_json(const nlohmann::json& document);

}  // namespace anvil
