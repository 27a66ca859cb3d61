// SPDX-License-Identifier: GPL-3.0-or-later
// What a part is made from: a primitive with its dimensions, or a mesh that was brought in.
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
  FieldRows* rows_ = nullptr;  // null for a mesh that was brought in
};

}  // namespace anvil::app
