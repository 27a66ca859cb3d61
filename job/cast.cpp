// SPDX-License-Identifier: GPL-3.0-or-later
#include "job/cast.h"

#include <charconv>

namespace anvil {
namespace {

constexpr char token_begin = '\x01', token_end = '\x02';

/// Replaces the token for each place by what `text_for` gives.
template <class Function>
std::string replaced(const std::string& text, Function text_for) {
  std::string out;
  for (std::size_t at = 0; at < text.size();) {
    std::size_t place = 0;
    const std::size_t end = text.find(token_end, at);
    if (text[at] == token_begin && end != std::string::npos &&
        std::from_chars(text.data() + at + 1, text.data() + end, place).ec == std::errc()) {
      out += text_for(place);
      at = end + 1;
    } else {
      out += text[at++];
    }
  }
  return out;
}

}  // namespace

std::vector<const Step*> active_steps(const Job& job, const Part& part) {
  std::vector<const Step*> steps;
  for (const Step& step : part.recipe)
    if (step.on && (step.kind->tools == ToolRule::none || !active_tools(job, step).empty())) steps.push_back(&step);
  return steps;
}

std::vector<const ToolUse*> active_tools(const Job& job, const Step& step) {
  std::vector<const ToolUse*> tools;
  for (const ToolUse& use : step.tools)
    if (use.on && job.find(use.tool) != nullptr) tools.push_back(&use);
  return tools;
}

Cast cast_of(const Job& job, PartId id) {
  Cast cast{{id}, {}};
  for (const Step* step : active_steps(job, job.at(id))) {
    for (const ToolUse* use : active_tools(job, *step)) {
      const Cast inner = cast_of(job, use->tool);
      cast.parts.insert(cast.parts.end(), inner.parts.begin(), inner.parts.end());
      cast.steps.insert(cast.steps.end(), inner.steps.begin(), inner.steps.end());
    }
    cast.steps.push_back(step->id);
  }
  return cast;
}

std::string cast_token(std::size_t place) { return token_begin + std::to_string(place) + token_end; }

std::string shifted_tokens(const std::string& text, std::size_t offset) {
  return replaced(text, [&](std::size_t place) { return cast_token(place + offset); });
}

std::string with_names(const Job& job, const Cast& cast, const std::string& text) {
  return replaced(text, [&](std::size_t place) {
    const Part* named = place < cast.parts.size() ? job.find(cast.parts[place]) : nullptr;
    return named != nullptr ? named->name : std::string("a deleted part");
  });
}

Issue with_names(const Job& job, const Cast& cast, Issue issue) {
  for (std::string* text : {&issue.what, &issue.subject, &issue.remedy}) *text = with_names(job, cast, *text);
  return issue;
}

PartId part_of_token(const Cast& cast, const std::string& text) {
  PartId found = 0;
  replaced(text, [&](std::size_t place) {
    if (place < cast.parts.size()) found = cast.parts[place];
    return std::string();
  });
  return found;
}

}  // namespace anvil
