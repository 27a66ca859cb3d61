// SPDX-License-Identifier: GPL-3.0-or-later
// JSON from files that anybody may have written: bounded in size and depth, and every error a BadFile.
#pragma once

#include <nlohmann/json.hpp>
#include <string>
#include <string_view>

namespace anvil {

/// Deeper than any job: a thousand forgings of a part, each within the other, three levels each, and trays within trays.
inline constexpr int max_json_depth = 4000;
inline constexpr std::size_t max_json_size = std::size_t{1} << 30;  ///< bytes

/// @param name  of the entry or file, for messages
/// @return the document. Raises BadFile for what is no JSON, holds a number that no double holds, or is too deep or too large
nlohmann::json parse_json(std::string_view text, const std::string& name);

}  // namespace anvil
