// SPDX-License-Identifier: GPL-3.0-or-later
// What a part is made from: a primitive with its dimensions, a mesh that was brought in, another part's result, or what it was
// forged from.
#pragma once

#include "app/cards/field_rows.h"
#include "app/cards/recipe_card.h"

namespace anvil::app {

class SourceCard : public RecipeCard {
  Q_OBJECT

 public:
  SourceCard(Session& session, const CardId& id);
  void refresh() override;

 private:
  void set(std::size_t field, const FieldValue& value);
  void act();
  FieldRows* rows_ = nullptr;  // of a primitive; null else
  QLabel* words_ = nullptr;    // these for all others
  QToolButton* act_ = nullptr;
};

}  // namespace anvil::app
