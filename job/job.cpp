// SPDX-License-Identifier: GPL-3.0-or-later
#include "job/job.h"

#include <algorithm>
#include <stdexcept>

namespace anvil {

double millimetres_per(Unit unit) {
  switch (unit) {
    case Unit::millimetre:
      return 1;
    case Unit::inch:
      return 25.4;
    case Unit::metre:
      return 1000;
  }
  return 1;
}

const char* key_of(Unit unit) {
  switch (unit) {
    case Unit::millimetre:
      return "mm";
    case Unit::inch:
      return "inch";
    case Unit::metre:
      return "m";
  }
  return "mm";
}

const Part* Job::find(PartId id) const {
  for (const PartPtr& p : parts)
    if (p->id == id) return p.get();
  return nullptr;
}

const Part& Job::at(PartId id) const {
  const Part* part = find(id);
  if (part == nullptr) throw std::out_of_range("no such part");
  return *part;
}

Affine Job::world_of(PartId id) const {
  const Part& part = at(id);
  const Affine own = part.placement.matrix();
  return part.rides_on && find(*part.rides_on) != nullptr ? world_of(*part.rides_on) * own : own;
}

Job::Found Job::find_step(StepId id) const {
  for (const PartPtr& part : parts)
    for (const Step& step : part->recipe)
      if (step.id == id) return {part.get(), &step};
  return {};
}

std::optional<Job::Use> Job::use_of(PartId tool) const {
  for (const PartPtr& part : parts)
    for (std::size_t s = 0; s < part->recipe.size(); ++s) {
      const auto& tools = part->recipe[s].tools;
      for (std::size_t k = 0; k < tools.size(); ++k)
        if (tools[k].tool == tool) return Use{part->id, part->recipe[s].id, s, k, tools[k].operation, tools[k].on};
    }
  return std::nullopt;
}

bool Job::depends_on(PartId part, PartId other) const {
  if (part == other) return true;
  const Part* p = find(part);
  if (p == nullptr) return false;
  for (const Step& step : p->recipe)
    for (const ToolUse& use : step.tools)
      if (depends_on(use.tool, other)) return true;
  return false;
}

std::string Job::free_name(const std::string& wanted) const {
  auto taken = [&](const std::string& name) {
    return std::any_of(parts.begin(), parts.end(), [&](const PartPtr& p) { return p->name == name; });
  };
  if (!taken(wanted)) return wanted;
  // "Box 2" asks for the next number, not for "Box 2 2".
  std::string stem = wanted;
  if (const auto space = stem.find_last_of(' ');
      space != std::string::npos && stem.find_first_not_of("0123456789", space + 1) == std::string::npos)
    stem.resize(space);
  for (int n = 2;; ++n)
    if (const std::string name = stem + " " + std::to_string(n); !taken(name)) return name;
}

}  // namespace anvil
