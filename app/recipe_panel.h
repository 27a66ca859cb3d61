// SPDX-License-Identifier: GPL-3.0-or-later
// The recipe of the chosen part as a column of cards: source, place, and one for each step.
#pragma once

#include <QScrollArea>
#include <QTimer>
#include <map>
#include <memory>

#include "app/cards/recipe_card.h"
#include "app/cards/row_drop.h"

namespace anvil::app {

class RecipePanel : public QWidget {
  Q_OBJECT

 public:
  explicit RecipePanel(Session& session, QWidget* parent = nullptr);
  /// Shows on its card which step is being computed.
  void show_activity(const Evaluator::Activity& now);

 protected:
  bool eventFilter(QObject* watched, QEvent* event) override;

 private:
  /// Takes away the cards that are not asked for any more, makes those that are missing, and refreshes all: those in sight first, and the
  /// others bit by bit where they are many.
  void refresh();
  std::vector<CardId> wanted() const;
  void arrange(const std::vector<CardId>& ids);
  void make(std::size_t k);
  void go_on();
  void take_parts(PartId part, const std::vector<PartId>& parts, const edit::RowPlace& to);
  /// Scrolls to the card of the step that was taken up.
  void reveal();

  Session& session_;
  QToolButton *whole_, *back_, *template_;  // ends looking up to a step, or at a tool's own recipe; opens the list of templates
  QLabel *title_, *time_, *nothing_;
  QScrollArea* scroll_;
  QVBoxLayout* cards_layout_;
  std::vector<CardId> ids_;
  std::vector<RecipeCard*> cards_;  ///< of these; null: not made yet
  std::vector<char> stale_;         ///< they do not show what the job says now
  QTimer going_on_;
  std::unique_ptr<RowDrop> drop_;  // of parts that are dragged over the cards
  StepId reveal_ = 0;  // the step whose card is to be in sight; 0: the user has scrolled elsewhere
  std::map<CardId, bool> open_;  // what the user has opened and closed, while the part was shown before
};

}  // namespace anvil::app
