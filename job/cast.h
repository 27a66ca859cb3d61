// SPDX-License-Identifier: GPL-3.0-or-later
// Who takes part in making a part: itself, the tools of its steps, and theirs. Results count parts and steps in this
// order instead of by id, so that copies of a part share one result, and messages hold places in it instead of names, so
// that a new name is told at once and computes nothing.
#pragma once

#include <memory>

#include "job/job.h"

namespace anvil {

/// First the part itself, then the cast of its source, then step by step, tool by tool, that of each; a step stands behind its tools.
/// A part that is used more than once has as many places, and is held once.
class Cast {
 public:
  Cast() = default;
  /// A part that nothing takes part in but itself.
  explicit Cast(PartId part);

  /// Places; more than no_index count as so many.
  Index part_count() const;
  Index step_count() const;
  /// Who stands at a place; 0 beyond the end.
  PartId part(std::size_t place) const;
  StepId step(std::size_t place) const;

 private:
  friend class CastMaker;
  struct Member;
  std::shared_ptr<const Member> member_;
};
/// Only steps and tools that are on. What is kept as it was has no cast but itself.
Cast cast_of(const Job& job, PartId id);

/// The steps of a part that are carried out.
std::vector<const Step*> active_steps(const Job& job, const Part& part);
/// The rows of a step that are used: those that are on and whose part is there, sets as rows for their parts, and no tray that
/// would hold nothing.
std::vector<ToolUse> active_rows(const Job& job, const std::vector<ToolUse>& rows);

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
