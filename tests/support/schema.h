// SPDX-License-Identifier: GPL-3.0-or-later
// Holds JSON against docs/job.schema.json, by a validator that is not ours (valijson).
#pragma once

#include <nlohmann/json_fwd.hpp>
#include <string>

namespace anvil::test {

/// What is wrong with a job.json, with its place; empty when it is as the schema says.
std::string against_schema(const nlohmann::json& document);

}  // namespace anvil::test
