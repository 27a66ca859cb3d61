// SPDX-License-Identifier: GPL-3.0-or-later
// Reports as the JSON that docs/cli.md promises.
#pragma once

#include <nlohmann/json.hpp>

#include "core/io/utf8.h"
#include "core/fields.h"
#include "core/report.h"
#include "core/soundness/report.h"

namespace anvil::cli {

/// Keys in the order of the contract.
using Json = nlohmann::ordered_json;

/// The object that `check` gives for one file.
Json check_json(const std::string& file, const SoundnessReport& report);

/// Wall-clock seconds of the parts of a run.
struct Seconds {
  double read = 0, compute = 0, check = 0, write = 0;
};

/// The object that `combine`, `apply`, `make` and `run` give.
Json operation_json(const std::vector<std::string>& inputs, const Json& result, const OperationReport& report,
                    const Seconds& seconds);

/// A field as `steps` lists it.
Json field_json(const Field& field);

}  // namespace anvil::cli
