// SPDX-License-Identifier: GPL-3.0-or-later
// Where a part stands and how large it is, in numbers.
#pragma once

#include <array>

#include "app/cards/recipe_card.h"

namespace anvil::app {

class PlaceCard : public RecipeCard {
  Q_OBJECT

 public:
  PlaceCard(Session& session, const CardId& id);
  void refresh() override;

 private:
  void change(const QString& label, const std::function<void(Placement&)>& how);
  double own_size(int axis) const;

  std::array<NumberField*, 3> position_{}, angles_{}, size_{};
  QLabel *frame_, *leaning_;
};

}  // namespace anvil::app
