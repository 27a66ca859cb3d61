// SPDX-License-Identifier: GPL-3.0-or-later
// Starts Clean Anvil with the files named on the command line.
#include <QApplication>

#include "app/main_window.h"
#include "app/theme.h"

int main(int argc, char** argv) {
  anvil::app::request_opengl();
  QApplication application(argc, argv);
  QApplication::setApplicationName(QStringLiteral("clean-anvil"));
  QApplication::setOrganizationName(QStringLiteral("clean-anvil"));
  QApplication::setApplicationDisplayName(QStringLiteral("Clean Anvil"));
  QApplication::setApplicationVersion(QStringLiteral(ANVIL_VERSION));
  QApplication::setDesktopFileName(QStringLiteral("clean-anvil"));
  anvil::app::theme::apply(application);
  QApplication::setWindowIcon(QIcon(QStringLiteral(":/icons/clean-anvil.svg")));

  anvil::app::MainWindow window;
  window.show();
  const QStringList paths = QApplication::arguments().mid(1);
  QMetaObject::invokeMethod(
      &window,
      [&window, paths] {
        window.files().offer_recovery();
        if (!paths.isEmpty()) window.files().open_paths(paths);
      },
      Qt::QueuedConnection);
  return QApplication::exec();
}
