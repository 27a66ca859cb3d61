// SPDX-License-Identifier: GPL-3.0-or-later
// What an operation did beside its plain result, for the rail, the card and the command line.
#pragma once

#include <string>
#include <vector>

#include "core/types.h"

namespace anvil {

struct OperationReport {
  struct Done {
    std::string what;  ///< stable key, e.g. "operands_turned_right"; docs/cli.md lists them
    std::size_t count = 0;
    std::string part;               ///< as the operand was named
    std::vector<Vec3> places = {};  ///< where, in the operation's space; at most a hundred
  };
  struct Stage {
    std::string name;
    double seconds;
  };
  std::vector<Done> done;
  std::vector<Stage> stages;
  double seconds = 0;        ///< wall clock, the whole operation
  std::string empty_reason;  ///< why the result is empty; "" when it is not
};

/// What was done, as people read it: "2 holes closed in Float housing"; "" for what is of no interest to them.
std::string in_words(const OperationReport::Done& done);

}  // namespace anvil
