// SPDX-License-Identifier: GPL-3.0-or-later
// What is kept of each part from one run to the next.
#pragma once

#include <mutex>

#include "core/boolean/prepared.h"

namespace anvil {

struct CombineCache::State {
  struct Entry {
    std::shared_ptr<const Mesh> mesh;  // keeps its address from being used again
    Affine placement;
    std::string name;
    bool free_of_crossings, may_be_sheet;
    boolean::PreparedPtr part;
    int age = 0;
  };
  std::vector<Entry> entries;
  std::mutex mutex;

  /// Forgets what the last two runs have not asked for.
  void begin_run() {
    std::erase_if(entries, [](Entry& e) { return ++e.age > 2; });
  }
  /// May be called for several parts at once.
  Result<boolean::PreparedPtr> get(const Operand& operand, bool may_be_sheet, const Control& control) {
    {
      const std::lock_guard lock(mutex);
      for (Entry& e : entries)
        if (e.mesh == operand.mesh && e.placement.matrix() == operand.placement.matrix() && e.name == operand.name &&
            e.free_of_crossings == operand.free_of_crossings && e.may_be_sheet == may_be_sheet) {
          e.age = 0;
          return e.part;
        }
    }
    Result<boolean::PreparedPtr> made = boolean::prepare(operand, may_be_sheet, control);
    if (made) {
      const std::lock_guard lock(mutex);
      entries.push_back({operand.mesh, operand.placement, operand.name, operand.free_of_crossings, may_be_sheet, *made});
    }
    return made;
  }
};

}  // namespace anvil
