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
    if (step.on && (!goes_with_tools(step.kind->tools) || (step.kind->tools == ToolRule::instead && step.tools.empty()) || !active_rows(job, step.tools).empty())) steps.push_back(&step);
  return steps;
}

std::vector<ToolUse> active_rows(const Job& job, const std::vector<ToolUse>& rows) {
  std::vector<ToolUse> active;
  for (const ToolUse& row : rows) {
    if (!row.on) continue;
    ToolUse used = row;
    if (row.is_tray())
      used.inside = active_rows(job, job.rows_of(row));
    if (row.is_tray() ? !used.inside.empty() : job.find(row.tool) != nullptr) active.push_back(std::move(used));
  }
  return active;
}

namespace {

void add_cast(const Job& job, PartId id, Cast& cast) {
  const Cast inner = cast_of(job, id);
  cast.parts.insert(cast.parts.end(), inner.parts.begin(), inner.parts.end());
  cast.steps.insert(cast.steps.end(), inner.steps.begin(), inner.steps.end());
}

void add_cast(const Job& job, const std::vector<ToolUse>& rows, Cast& cast) {
  for (const ToolUse& row : rows)
    if (row.is_tray())
      add_cast(job, row.inside, cast);
    else if (row.is_live())
      add_cast(job, row.tool, cast);
    else
      cast.parts.push_back(row.tool);
}

}  // namespace

Cast cast_of(const Job& job, PartId id) {
  Cast cast{{id}, {}};
  const Part& part = job.at(id);
  if (const auto* source = std::get_if<PartSource>(&part.source); source != nullptr && source->kept == nullptr && job.find(source->part) != nullptr)
    add_cast(job, source->part, cast);
  for (const Step* step : active_steps(job, part)) {
    add_cast(job, active_rows(job, step->tools), cast);
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
