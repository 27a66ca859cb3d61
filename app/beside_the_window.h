// SPDX-License-Identifier: GPL-3.0-or-later
// Work that the next input has to wait for, but the picture does not.
#pragma once

#include <QCoreApplication>
#include <QEventLoop>
#include <future>

namespace anvil::app {

/// Runs work on another thread; meanwhile the window is drawn and takes in results, and what is typed and clicked waits. What the
/// work looks at has to stay as it is until then. @return what the work gives; what it throws is thrown here
template <class Work>
auto beside_the_window(Work work) {
  QEventLoop loop;
  struct Ending {
    QEventLoop& loop;
    ~Ending() { QMetaObject::invokeMethod(&loop, &QEventLoop::quit, Qt::QueuedConnection); }
  };
  auto result = std::async(std::launch::async, [&] {
    const Ending ending{loop};
    return work();
  });
  loop.exec(QEventLoop::ExcludeUserInputEvents);
  return result.get();
}

}  // namespace anvil::app
