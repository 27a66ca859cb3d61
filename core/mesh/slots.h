// SPDX-License-Identifier: GPL-3.0-or-later
// Material slots: which material each face of a mesh asks for, by name. What a material looks like is not kept.
#pragma once

#include <cstdint>
#include <string>
#include <unordered_map>
#include <vector>

#include "core/types.h"

namespace anvil {

struct MaterialSlots {
  std::vector<std::string> names;  ///< each once
  std::vector<Index> of_face;      ///< place in `names` of each face; empty for a mesh without slots

  bool empty() const { return of_face.empty(); }
  bool operator==(const MaterialSlots&) const = default;
};

/// The slot of faces without one, among others that have one.
inline constexpr const char* unnamed_slot = "unnamed";

/// Looks names up in some slots, and adds those that are new.
class SlotNames {
 public:
  explicit SlotNames(MaterialSlots& materials);
  /// Place of a name; an empty one counts as the unnamed slot.
  Index place_of(const std::string& name);
  /// Place of every name of `from`, or of the unnamed one when it has no slots.
  std::vector<Index> places_of(const MaterialSlots& from);

 private:
  MaterialSlots& slots_;
  std::unordered_map<std::string, Index> place_;
};

/// The slot that most faces have, the first of several; 0 without slots.
Index most_used_slot(const MaterialSlots& materials);

}  // namespace anvil
