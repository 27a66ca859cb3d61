// SPDX-License-Identifier: GPL-3.0-or-later
// Templates: which there are, using one, keeping steps as one, sending them to others and bringing theirs in.
#pragma once

#include <QDialog>
#include <QLabel>
#include <QLineEdit>
#include <QListWidget>
#include <QPushButton>

#include "app/session.h"
#include "job/template.h"

namespace anvil::app {

/// Where the user's templates lie, one readable file each.
std::filesystem::path template_folder();

class TemplateDialog : public QDialog {
  Q_OBJECT

 public:
  explicit TemplateDialog(Session& session, QWidget* parent = nullptr);

 private:
  struct Entry {
    StepTemplate made;
    std::filesystem::path file;  ///< empty: it comes with the application
  };
  void fill();
  const Entry* current() const;
  void use();
  void send_out();
  void bring_in();
  void remove();

  Session& session_;
  QListWidget* list_;
  QLabel* told_;
  QPushButton *use_, *remove_, *send_out_;
  std::vector<Entry> entries_;
};

/// Asks for a name and for which steps of a recipe, and keeps those as a template.
class KeepTemplateDialog : public QDialog {
  Q_OBJECT

 public:
  /// @param ticked  the step that is in it to begin with
  KeepTemplateDialog(Session& session, PartId part, StepId ticked, QWidget* parent = nullptr);

 private:
  void keep();

  Session& session_;
  QLineEdit* name_;
  QListWidget* steps_;
  QLabel* told_;
};

}  // namespace anvil::app
