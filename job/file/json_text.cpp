// SPDX-License-Identifier: GPL-3.0-or-later
#include "job/file/json_text.h"

#include <fmt/format.h>

#include "core/io/bytes.h"

namespace anvil {

nlohmann::json parse_json(std::string_view text, const std::string& name) {
  constexpr const char* remedy = "restore it from a backup";
  if (text.size() > max_json_size) throw BadFile{fmt::format("{} has {} bytes, more than the {} that are read", name, text.size(), max_json_size), remedy};
  // The parser itself needs no stack, but whoever takes apart what it made does.
  int depth = 0;
  bool in_text = false;
  for (std::size_t k = 0; k < text.size(); ++k) {
    const char c = text[k];
    if (in_text) {
      if (c == '\\') ++k;
      if (c == '"') in_text = false;
    } else if (c == '"') {
      in_text = true;
    } else if (c == '[' || c == '{') {
      if (++depth > max_json_depth) throw BadFile{fmt::format("{} is nested more than {} levels deep at byte {}", name, max_json_depth, k + 1), remedy};
    } else if (c == ']' || c == '}') {
      --depth;
    }
  }
  try {
    return nlohmann::json::parse(text);
  } catch (const nlohmann::json::exception& bad) {
    // "[json.exception.parse_error.101] parse error at line 3, column 5: ...": the number in brackets is the parser's own.
    const std::string_view what = bad.what();
    const std::size_t end = what.find("] ");
    throw BadFile{fmt::format("{}: {}", name, end == std::string_view::npos ? what : what.substr(end + 2)), remedy};
  }
}

}  // namespace anvil
