// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/cards/recipe_card.h"

#include "app/cards/place_card.h"
#include "app/cards/source_card.h"
#include "app/cards/step_card.h"

namespace anvil::app {

RecipeCard* make_card(Session& session, const CardId& id) {
  switch (id.what) {
    case CardId::of_source: return new SourceCard(session, id);
    case CardId::of_place: return new PlaceCard(session, id);
    case CardId::of_step: return new StepCard(session, id);
  }
  return nullptr;
}

}  // namespace anvil::app
