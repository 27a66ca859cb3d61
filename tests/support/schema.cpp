// SPDX-License-Identifier: GPL-3.0-or-later
#include "tests/support/schema.h"

#include <fstream>
#include <nlohmann/json.hpp>
#include <stdexcept>
#include <valijson/adapters/nlohmann_json_adapter.hpp>
#include <valijson/schema.hpp>
#include <valijson/schema_parser.hpp>
#include <valijson/validation_results.hpp>
#include <valijson/validator.hpp>

namespace anvil::test {

std::string against_schema(const nlohmann::json& document) {
  static const auto schema = [] {
    std::ifstream file(JOB_SCHEMA);
    if (!file) throw std::runtime_error("cannot read " JOB_SCHEMA);
    const auto text = nlohmann::json::parse(file);
    auto parsed = std::make_unique<valijson::Schema>();
    valijson::SchemaParser(valijson::SchemaParser::kDraft7).populateSchema(valijson::adapters::NlohmannJsonAdapter(text), *parsed);
    return parsed;
  }();
  valijson::ValidationResults results;
  if (valijson::Validator().validate(*schema, valijson::adapters::NlohmannJsonAdapter(document), &results)) return {};
  std::string wrong;
  for (valijson::ValidationResults::Error error; results.popError(error);) {
    for (const std::string& place : error.context) wrong += place;
    wrong += ": " + error.description + "\n";
  }
  return wrong.empty() ? "not valid" : wrong;
}

}  // namespace anvil::test
