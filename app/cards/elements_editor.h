// SPDX-License-Identifier: GPL-3.0-or-later
// The special editor of chosen elements: shows them in the view, and takes what is chosen there.
#pragma once

#include <QToolButton>
#include <QWidget>

#include "app/session.h"

namespace anvil::app {

class ElementsEditor : public QWidget {
  Q_OBJECT

 public:
  /// @param field  place of the field of the step
  ElementsEditor(Session& session, StepId step, std::size_t field, QWidget* parent = nullptr);

 private:
  void show_elements();
  void take();

  Session& session_;
  StepId step_;
  std::size_t field_;
  QToolButton* take_;
};

}  // namespace anvil::app
