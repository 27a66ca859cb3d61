// SPDX-License-Identifier: GPL-3.0-or-later
#define CATCH_CONFIG_RUNNER
#include <QApplication>
#include <QSettings>
#include <QStandardPaths>
#include <QTemporaryDir>
#include <catch2/catch.hpp>

#include "app/theme.h"
#include "app/view/renderer.h"

#ifdef __SANITIZE_ADDRESS__
#include <sanitizer/lsan_interface.h>

// Not ours: lib3mf 1.8 does not close the entries of a package that it has read, Qt's connection to D-Bus is never let go,
// and fontconfig keeps its cache.
extern "C" const char* __lsan_default_suppressions();
extern "C" const char* __lsan_default_suppressions() {
  return "leak:libzip.so\nleak:libdbus-1.so\nleak:libfontconfig.so\n";
}
#endif

int main(int argc, char** argv) {
  QTemporaryDir home;
  qputenv("XDG_CONFIG_HOME", home.path().toLocal8Bit());
  qputenv("XDG_DATA_HOME", home.path().toLocal8Bit());
  anvil::app::request_opengl();
  QApplication application(argc, argv);
  QApplication::setApplicationName(QStringLiteral("clean-anvil"));
  QApplication::setOrganizationName(QStringLiteral("clean-anvil"));
  anvil::app::theme::apply(application);
  QSettings().setValue(QStringLiteral("keep_results"), false);  // a test computes what it looks at
  QSettings().setValue(QStringLiteral("samples"), 0);  // without a graphics card smooth pictures take most of the time
  const int failed = Catch::Session().run(argc, argv);
#ifdef __SANITIZE_ADDRESS__
  __lsan_do_leak_check();  // while the OpenGL driver is loaded: what it keeps would count as lost after that
#endif
  return failed;
}
