// SPDX-License-Identifier: GPL-3.0-or-later
// A card of the recipe: it is made once for what it is about, and then only brings its values up to date.
#pragma once

#include "app/session.h"
#include "app/widgets.h"

namespace anvil::app {

/// What a card is about.
struct CardId {
  enum What { of_source, of_place, of_step } what;
  PartId part;
  StepId step = 0;
  std::size_t source = 0;  ///< which kind of source, for its card
  auto operator<=>(const CardId&) const = default;
};

class RecipeCard : public Card {
  Q_OBJECT

 public:
  RecipeCard(Session& session, const CardId& id, const QString& title, QWidget* parent = nullptr)
      : Card(title, QString(), false, parent), session_(session), id_(id) {}
  const CardId& id() const { return id_; }
  /// Shows what the job says now. Called only while what it is about is there.
  virtual void refresh() = 0;
  /// Can parts become rows of it?
  virtual bool takes_tools() const { return false; }
  /// What it is about is being computed; seconds so far below zero: it is not.
  virtual void show_activity(double /*seconds*/, double /*progress*/) {}

 protected:
  const Part& part() const { return session_.job().at(id_.part); }
  Session& session_;
  CardId id_;
};

/// The card for it.
RecipeCard* make_card(Session& session, const CardId& id);

}  // namespace anvil::app
