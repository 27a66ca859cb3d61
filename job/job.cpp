// SPDX-License-Identifier: GPL-3.0-or-later
#include "job/job.h"

#include <algorithm>
#include <stdexcept>
#include <unordered_map>
#include <unordered_set>

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

const PartSet* Job::find_set(SetId id) const {
  for (const PartSet& set : sets)
    if (set.id == id) return &set;
  return nullptr;
}

std::vector<ToolUse> Job::rows_of(const ToolUse& tray) const {
  const PartSet* set = tray.set == 0 ? nullptr : find_set(tray.set);
  if (set == nullptr) return tray.inside;
  std::vector<ToolUse> rows;
  for (PartId part : set->parts)
    if (find(part) != nullptr) rows.push_back({tray.id, part, Operation::unite, true});
  return rows;
}

namespace {

/// Every row that is a tool, with the trays it stands in.
void visit_tools(const Job& job, const std::vector<ToolUse>& rows, std::vector<const ToolUse*>& trays, const auto& visit) {
  for (const ToolUse& use : rows) {
    if (!use.is_tray()) {
      visit(use, trays);
      continue;
    }
    trays.push_back(&use);
    use.set == 0 ? visit_tools(job, use.inside, trays, visit) : visit_tools(job, job.rows_of(use), trays, visit);
    trays.pop_back();
  }
}

const ToolUse* find_row(const std::vector<ToolUse>& rows, UseId id) {
  for (const ToolUse& use : rows) {
    if (use.id == id) return &use;
    if (const ToolUse* inner = find_row(use.inside, id)) return inner;
  }
  return nullptr;
}

}  // namespace

namespace {

/// Every use of a tool by a part's recipe.
void collect_uses(const Job& job, const Part& part, std::vector<Job::Use>& to) {
  for (const Step& step : part.recipe) {
    std::vector<const ToolUse*> trays;
    visit_tools(job, step.tools, trays, [&](const ToolUse& use, const std::vector<const ToolUse*>& around) {
      Job::Use found{part.id, step.id, use.id, use.tool, {}, around.empty() ? use.operation : around.front()->operation, step.on && use.on};
      for (const ToolUse* tray : around) {
        found.trays.push_back(tray->id);
        found.on = found.on && tray->on;
      }
      to.push_back(std::move(found));
    });
  }
}

}  // namespace

std::vector<Job::Use> Job::uses_by(PartId id) const {
  std::vector<Use> uses;
  if (const Part* part = find(id)) collect_uses(*this, *part, uses);
  return uses;
}

struct Job::Uses {
  std::vector<PartPtr> parts;
  std::vector<PartSet> sets;
  std::unordered_map<PartId, std::vector<Use>> of;
};

const std::vector<Job::Use>& Job::uses_of(PartId tool) const {
  static const std::vector<Use> none;
  const Uses& uses = uses_.get([&](const Uses& known) { return known.parts == parts && known.sets == sets; },
                               [&] {
                                 Uses made{parts, sets, {}};
                                 std::vector<Use> all;
                                 for (const PartPtr& part : parts) collect_uses(*this, *part, all);
                                 for (Use& use : all) made.of[use.tool].push_back(std::move(use));
                                 return made;
                               });
  const auto found = uses.of.find(tool);
  return found == uses.of.end() ? none : found->second;
}

std::optional<Job::Use> Job::use_of(PartId tool, PartId by) const {
  for (const Use& use : uses_of(tool))
    if (by == 0 || use.part == by) return use;
  return std::nullopt;
}

Job::FoundUse Job::find_use(UseId id) const {
  for (const PartPtr& part : parts)
    for (const Step& step : part->recipe)
      if (const ToolUse* use = find_row(step.tools, id)) return {part.get(), &step, use};
  return {};
}

std::vector<PartId> Job::needs_of(PartId id) const {
  std::vector<PartId> needs;
  const Part* part = find(id);
  if (part == nullptr) return needs;
  const auto add = [&](PartId needed) {
    if (std::find(needs.begin(), needs.end(), needed) == needs.end()) needs.push_back(needed);
  };
  if (const auto* source = std::get_if<PartSource>(&part->source); source != nullptr && source->kept == nullptr) add(source->part);
  for (const Step& step : part->recipe) {
    std::vector<const ToolUse*> trays;
    visit_tools(*this, step.tools, trays, [&](const ToolUse& use, const auto&) {
      if (use.is_live()) add(use.tool);
    });
  }
  return needs;
}

std::vector<PartId> Job::chain_between(PartId part, PartId other) const {
  // Depth first; what has been left without finding it is not entered again.
  std::vector<PartId> chain, left;
  const auto reaches = [&](const auto& self, PartId at) -> bool {
    if (std::find(left.begin(), left.end(), at) != left.end()) return false;
    chain.push_back(at);
    if (at == other) return true;
    for (PartId needed : needs_of(at))
      if (self(self, needed)) return true;
    chain.pop_back();
    left.push_back(at);
    return false;
  };
  return reaches(reaches, part) ? chain : std::vector<PartId>();
}

bool Job::depends_on(PartId part, PartId other) const { return part == other || !chain_between(part, other).empty(); }

std::string Job::free_name(const std::string& wanted) const {
  std::unordered_set<std::string_view> names;
  for (const PartPtr& part : parts) names.insert(part->name);
  const auto taken = [&](const std::string& name) { return names.contains(name); };
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
