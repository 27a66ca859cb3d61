// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/mesh/slots.h"

#include <algorithm>

namespace anvil {

SlotNames::SlotNames(MaterialSlots& slots) : slots_(slots) {
  for (std::size_t k = 0; k < slots.names.size(); ++k) place_.emplace(slots.names[k], static_cast<Index>(k));
}

Index SlotNames::place_of(const std::string& name) {
  if (name.empty()) return place_of(unnamed_slot);
  const auto [known, is_new] = place_.try_emplace(name, static_cast<Index>(slots_.names.size()));
  if (is_new) slots_.names.push_back(name);
  return known->second;
}

std::vector<Index> SlotNames::places_of(const MaterialSlots& from) {
  if (from.empty()) return {place_of(unnamed_slot)};
  std::vector<Index> places;
  for (const std::string& name : from.names) places.push_back(place_of(name));
  return places;
}

Index most_used_slot(const MaterialSlots& slots) {
  std::vector<std::size_t> uses(slots.names.size(), 0);
  for (Index slot : slots.of_face) ++uses[slot];
  return uses.empty() ? 0 : static_cast<Index>(std::max_element(uses.begin(), uses.end()) - uses.begin());
}

}  // namespace anvil
