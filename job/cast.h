// SPDX-License-Identifier: GPL-3.0-or-later
// Who takes part in making a part: itself, the tools of its steps, and theirs. Results count parts and steps in this
// order instead of by id, so that copies of a part share one result, and messages hold places in it instead of names, so
// that a new name is told at once and computes nothing.
#pragma once

#include "job/job.h"

namespace anvil {

struct Cast {
  std::vector<PartId> parts;  ///< first the part itself, then step by step, tool by tool, the cast of each
  std::vector<StepId> steps;  ///< each behind those of its tools
};
/// Only steps and tools that are on.
Cast cast_of(const Job& job, PartId id);

/// The steps of a part that are carried out, and the tools of a step that are used.
std::vector<const Step*> active_steps(const Job& job, const Part& part);
std::vector<const ToolUse*> active_tools(const Job& job, const Step& step);

/// Stands in messages for the name of a part of the cast.
std::string cast_token(std::size_t place);
/// The same text about a part that begins at `offset` in another's cast.
std::string shifted_tokens(const std::string& text, std::size_t offset);
/// Puts the names that parts have now in place of tokens.
/// @param cast  of the part that the text speaks of, as it was when that was made
std::string with_names(const Job& job, const Cast& cast, const std::string& text);
Issue with_names(const Job& job, const Cast& cast, Issue issue);
/// The part that a text is the token of, as an Issue's subject is; 0 when it is none.
PartId part_of_token(const Cast& cast, const std::string& text);

}  // namespace anvil
