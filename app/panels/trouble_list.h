// SPDX-License-Identifier: GPL-3.0-or-later
// What went wrong, above the view: what was said last, and what stays until somebody has looked at it.
#pragma once

#include <QFrame>
#include <QLabel>
#include <QVBoxLayout>

#include "app/session.h"

class QScrollArea;

namespace anvil::app {

class TroubleList : public QFrame {
  Q_OBJECT

 public:
  explicit TroubleList(Session& session, QWidget* parent = nullptr);

  /// Of what passes, the last one stands here, until the next or until something was done. What stays is closed by hand only.
  void tell(const Issue& issue, PartId part, Session::Complaint kind);
  /// Ways out of what was told last; they go when the job changes.
  void offer(const std::vector<Remedy>& remedies);
  void drop_remedies_of_older_jobs();
  void drop_passing();

 private:
  struct Row {
    QFrame* frame;
    QLabel* text;
    QHBoxLayout* remedies;
    bool stays;
  };
  void remove(QFrame* frame);
  void show_rows();

  Session& session_;
  QScrollArea* scroll_;
  QWidget* list_;
  QVBoxLayout* rows_layout_;
  QWidget* close_all_;
  std::vector<Row> rows_;   ///< the newest first
  JobPtr remedies_of_;      ///< the job for which these were offered
};

}  // namespace anvil::app
