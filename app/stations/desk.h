// SPDX-License-Identifier: GPL-3.0-or-later
// What the verbs work with. Each station's file registers its verbs here, once, when the window is built.
#pragma once

#include <QKeySequence>

#include "app/session.h"
#include "app/verbs.h"

namespace anvil::app {

class MainWindow;
class ViewWidget;
class RailPanel;
class PartsPanel;
class JobFiles;

struct Desk {
  MainWindow& window;
  Session& session;
  VerbBook& book;
  ViewWidget& view;
  RailPanel& rail;
  PartsPanel& parts;
  JobFiles& files;

  bool any_chosen() const { return !session.selection().empty(); }
  bool any_tool_chosen() const;
};

void add_stock_verbs(Desk& desk);
void add_combine_verbs(Desk& desk);
void add_shape_verbs(Desk& desk);
void add_recast_verbs(Desk& desk);
void add_mend_verbs(Desk& desk);
void add_hand_verbs(Desk& desk);    ///< of the Mend station: choosing and editing elements
void add_release_verbs(Desk& desk);
void add_job_verbs(Desk& desk);     ///< new, open, save, quit
void add_edit_verbs(Desk& desk);    ///< undo, duplicate, delete and the like, in every station
void add_view_verbs(Desk& desk);    ///< looking and handles
void add_window_verbs(Desk& desk);  ///< stations, finder, keys

/// Adds a step to the part that the recipe shows, as suits it, and opens its card. Kinds with tools work on the first chosen part; the others are its tools.
void add_step(MainWindow& window, Session& session, const StepKind& kind);

/// Groups of verbs that stand in the row of work by hand.
QString choose_group();
QString edit_group();

/// Switches whether results are kept on disk, for this run and later ones.
void keep_results(Session& session, bool keep);

inline QKeySequence key(const char* text) { return QKeySequence(QLatin1String(text)); }

}  // namespace anvil::app
