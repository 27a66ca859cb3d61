// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QThreadPool>
#include <memory>

namespace anvil::app {

/// Drops a reference away from the window's thread: freeing a mesh of a million triangles takes long.
template <class T>
void release_async(std::shared_ptr<T> old) {
  if (old) QThreadPool::globalInstance()->start([old = std::move(old)]() mutable { old.reset(); });
}

}  // namespace anvil::app
