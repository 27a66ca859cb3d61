// SPDX-License-Identifier: GPL-3.0-or-later
// What each subcommand does. Each returns the process's exit code.
#pragma once

#include <stop_token>
#include <string>
#include <vector>

#include "job/step.h"

namespace anvil::cli {

inline constexpr int done = 0;          ///< for check: sound
inline constexpr int not_sound = 1;     ///< done, but the result is not sound
inline constexpr int bad_input = 2;     ///< nothing was written
inline constexpr int empty_result = 3;  ///< done, and the result is empty: nothing was written

struct CheckRequest {
  std::vector<std::string> inputs;
  bool any_reader = false;  ///< judge by the harshest reading
  std::string json;
};
/// Where a subcommand writes its mesh, and how.
struct WriteRequest {
  std::string output, json;
  std::string faces = "convex";  ///< as faces_named()
};
struct CombineRequest : WriteRequest {
  std::string operation;
  std::vector<std::string> inputs;
  std::string contact;  ///< a length; "": what suits the size
};
struct ApplyRequest : WriteRequest {
  std::string step;
  std::vector<std::string> inputs;  ///< the part, then its tools
  std::vector<std::string> set;     ///< FIELD=VALUE
};
struct MendRequest : WriteRequest {
  std::string input;
  bool plan = false;                ///< print what would be done, and write nothing
  std::vector<std::string> only;    ///< families; empty: all
  std::vector<std::string> set;     ///< FIELD=VALUE
};
struct MakeRequest : WriteRequest {
  std::string kind;
  std::vector<std::string> set;
};
struct StepsRequest {
  std::string key;  ///< of one step or kind of stock; "": all
  std::string json;
};
struct RunRequest : WriteRequest {
  std::string job, part;
  std::vector<std::string> set;  ///< PART/STEP.FIELD=VALUE
};
struct ConvertRequest : WriteRequest {
  std::string input;
};

/// All throw Stopped, and leave no file half written then.
int run_check(const CheckRequest& request, const std::stop_token& stop);
int run_combine(const CombineRequest& request, const std::stop_token& stop);
int run_apply(const ApplyRequest& request, const std::stop_token& stop, StepTable table = step_table());
int run_mend(const MendRequest& request, const std::stop_token& stop);
int run_make(const MakeRequest& request, const std::stop_token& stop);
int run_steps(const StepsRequest& request, StepTable table = step_table());
int run_recipe(const RunRequest& request, const std::stop_token& stop);
int run_convert(const ConvertRequest& request, const std::stop_token& stop);

}  // namespace anvil::cli
