// SPDX-License-Identifier: GPL-3.0-or-later
// The window: how is it made (left), what does it look like (centre), can I trust it (right), one line below.
#pragma once

#include <QLabel>
#include <QMainWindow>
#include <QPushButton>

#include "app/autosave.h"
#include "app/hand_row.h"
#include "app/job_files.h"
#include "app/panels/trouble_list.h"
#include "app/parts_panel.h"
#include "app/rail_panel.h"
#include "app/recipe_panel.h"
#include "app/verb_row.h"
#include "app/view/view_widget.h"

class QButtonGroup;
class QMenu;
class QSplitter;

namespace anvil::app {

class MainWindow : public QMainWindow {
  Q_OBJECT

 public:
  MainWindow();
  ~MainWindow() override;

  Session& session() { return session_; }
  ViewWidget& view() { return *view_; }
  RailPanel& rail() { return *rail_; }
  VerbBook& verbs() { return book_; }
  void set_station(Station station);
  JobFiles& files() { return *files_; }
  /// What was complained about last has been dealt with; what stays until it is looked at stays.
  void hide_issue() { troubles_->drop_passing(); }

 protected:
  void closeEvent(QCloseEvent* event) override;
  void dragEnterEvent(QDragEnterEvent* event) override;
  void dropEvent(QDropEvent* event) override;

 private:
  QWidget* build_top_bar();
  QMenu* build_recent_menu(QWidget* parent);
  QWidget* build_centre();
  QWidget* build_bottom_line();
  QWidget* build_pills();
  void refresh();
  void show_activity();
  void show_part_menu(const QPoint& global);
  void show_tool_menu(const Job::Use& use, const QPoint& global);

  void remember();
  void recall();

  Session session_;
  VerbBook book_{this};
  Autosave* autosave_;
  JobFiles* files_;
  ViewWidget* view_;
  PartsPanel* parts_;
  RecipePanel* recipe_;
  RailPanel* rail_;
  VerbRow* verb_row_;
  HandRow* hand_row_;
  QSplitter *columns_, *left_;
  QButtonGroup* stations_;
  QToolButton* job_button_;
  QLabel* saved_;
  TroubleList* troubles_;
  QLabel *hint_, *activity_;
  QPushButton* stop_;
  QTimer activity_timer_, message_timer_;
  bool closing_ = false, choosing_ = false;
};

}  // namespace anvil::app
