// SPDX-License-Identifier: GPL-3.0-or-later
// The soundness rail: can the chosen part be trusted? Verdict, families with their places, numbers.
#pragma once

#include <QTimer>
#include <map>

#include "app/find_panel.h"
#include "app/plan_panel.h"
#include "app/session.h"
#include "app/widgets.h"

namespace anvil::app {

class RailPanel : public QWidget {
  Q_OBJECT

 public:
  explicit RailPanel(Session& session, QWidget* parent = nullptr);

  /// Goes through all places of the part's report, family by family; flies there and opens the row.
  void show_next(int step);
  PlanPanel& plan() { return *plan_; }
  /// What makes a surface of points is offered below their verdict, whatever the station.
  void offer_for_points(QAction* verb);
  /// What to look for is shown, or put away.
  void set_finding(bool shown);
  bool finding() const { return find_->isVisibleTo(this); }
  void open_family(std::size_t row, bool open);
  /// The row of a family.
  std::size_t row_of(const Family& family) const;

 private:
  struct Row {
    const Family* family;
    QToolButton* header;
    QLabel *mark, *name, *count;
    QWidget* places;
    QFrame* rule;
    QVBoxLayout* places_layout;
    bool open = false;
  };

  void refresh();
  void fill_places(std::size_t row);
  void choose(const Defect& defect);
  void show_count(Row& row, std::optional<std::size_t> count);
  void show_verdict(const SoundnessReport& report);
  /// Of a result that is not the current one. @return whether that is so
  bool show_standing(const PartResult& result);
  void fade_numbers(bool older);
  void show_found(const SoundnessReport& report);
  void show_numbers(const PartResult& result);
  void show_notes(const PartResult& result);
  void show_trouble(const PartResult& result);
  void show_chosen();

  Session& session_;
  QLabel *glyph_, *verdict_, *reason_;
  std::vector<Row> rows_;  // of every family but the notes
  QFrame* trouble_;
  PlanPanel* plan_;
  QPushButton* for_points_;
  FindPanel* find_;
  QLabel* looked_for_;
  QFrame* notes_ = nullptr;
  QVBoxLayout* notes_layout_ = nullptr;
  QVBoxLayout* trouble_layout_;
  std::map<QString, QLabel*> numbers_;
  QLabel *chosen_ = nullptr, *chosen_title_ = nullptr;
  QPushButton* again_;
  ReportPtr shown_;
  std::shared_ptr<const Mesh> shown_mesh_;
  // What the messages stand for that are shown; names in them may change with the job.
  EvaluatedPtr shown_result_;
  bool shown_issue_ = false;
  JobPtr names_;
  std::size_t current_place_ = 0;
  bool walking_ = false;
};

}  // namespace anvil::app
