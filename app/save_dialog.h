// SPDX-License-Identifier: GPL-3.0-or-later
// The dialog that asks for a file to be written: the name is whole before it asks whether a file that is there may be replaced.
#pragma once

#include <QFileDialog>
#include <functional>

namespace anvil::app {

class SaveDialog : public QFileDialog {
  Q_OBJECT

 public:
  using Complete = std::function<QString(const QString& name)>;
  /// @param complete  gives a name its ending, where it has none
  SaveDialog(QWidget* window, const QString& title, const QString& folder, const QString& suggestion, const QString& filter, Complete complete);
  /// The whole path, or nothing when it was called off.
  QString ask();

 protected:
  void accept() override;

 private:
  Complete complete_;
};

}  // namespace anvil::app
