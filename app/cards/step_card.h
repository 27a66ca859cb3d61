// SPDX-License-Identifier: GPL-3.0-or-later
// A step of the recipe: its tools, the rows of its fields, special editors, and why it failed when it did. Made from the
// step's kind alone.
#pragma once

#include <set>

#include "app/cards/field_rows.h"
#include "app/cards/recipe_card.h"
#include "app/cards/tool_row.h"

namespace anvil::app {

class StepCard : public RecipeCard {
  Q_OBJECT

 public:
  StepCard(Session& session, const CardId& id);
  void refresh() override;
  bool takes_tools() const override { return tools_layout_ != nullptr; }
  void show_activity(double seconds, double progress) override;

 protected:
  bool eventFilter(QObject* watched, QEvent* event) override;

 private:
  const Step& step() const { return *session_.job().find_step(id_.step).step; }
  void set(std::size_t field, const FieldValue& value);
  void fill_menu(QMenu& menu);
  void rename();
  void refresh_tools();
  void show_failure(const QString& failure);
  /// The place in the recipe that the step would get if it were let go there; draws the mark.
  std::optional<std::size_t> place_at(const QPoint& global);
  void end_drag();
  void add_rows(const std::vector<ToolUse>& rows, UseId tray, bool by_set, int depth, std::vector<RowId>& to) const;
  void show_inner(PartId tool);
  std::vector<PartId> addable() const;
  QString summary() const;
  /// What the step comes to at another detail; "": not known.
  QString foretold(double now, double then) const;

  Switch* on_;
  QVBoxLayout* tools_layout_ = nullptr;  // null for kinds without tools
  std::vector<ToolRow*> rows_;
  std::set<UseId> folded_;              // trays
  std::vector<StepId> inner_steps_;     // of that tool
  PartId inner_of_ = 0;                 // the tool whose own cards stand below its row
  QWidget* inner_ = nullptr;
  std::vector<RecipeCard*> inner_cards_;
  Switch* rides_ = nullptr;
  QToolButton* add_ = nullptr;
  FieldRows* fields_ = nullptr;
  QLabel *failure_, *note_, *compared_;
  QStringList offered_;  ///< ways out that are shown
  QWidget* remedies_row_;
  QVBoxLayout* remedies_;
  QString note_text_;
  std::optional<QPoint> pressed_at_;  // on the header
  bool dragging_ = false;
  std::optional<std::size_t> goes_to_;
  QFrame* mark_ = nullptr;
};

}  // namespace anvil::app
