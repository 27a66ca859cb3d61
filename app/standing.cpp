// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/standing.h"

#include <QCoreApplication>

namespace anvil::app {

QString in_words(Standing standing) {
  switch (standing) {
    case Standing::current: return {};
    case Standing::being_made: return QCoreApplication::translate("Standing", "being made");
    case Standing::stopped: return QCoreApplication::translate("Standing", "stopped");
    case Standing::failed: return QCoreApplication::translate("Standing", "failed");
  }
  return {};
}

}  // namespace anvil::app
