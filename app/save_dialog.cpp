// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/save_dialog.h"

#include <QLineEdit>

namespace anvil::app {

SaveDialog::SaveDialog(QWidget* window, const QString& title, const QString& folder, const QString& suggestion, const QString& filter, Complete complete)
    : QFileDialog(window, title, folder, filter), complete_(std::move(complete)) {
  setOption(QFileDialog::DontUseNativeDialog);
  setOption(QFileDialog::HideNameFilterDetails);  // the formats are named in front of them
  setAcceptMode(QFileDialog::AcceptSave);
  setFileMode(QFileDialog::AnyFile);
  selectFile(suggestion);
}

QString SaveDialog::ask() { return exec() == QDialog::Accepted && !selectedFiles().isEmpty() ? selectedFiles().first() : QString(); }

void SaveDialog::accept() {
  // The dialog asks about replacing the name that stands here.
  auto* name = findChild<QLineEdit*>(QStringLiteral("fileNameEdit"));
  if (name != nullptr && !name->text().isEmpty() && !QFileInfo(directory(), name->text()).isDir()) name->setText(complete_(name->text()));
  QFileDialog::accept();
}

}  // namespace anvil::app
