// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/report.h"

#include <fmt/format.h>

namespace anvil {

std::string in_words(const OperationReport::Done& done) {
  return fmt::format(fmt::runtime(done.count == 1 ? done.note->one : done.note->many), done.count, done.part);
}

}  // namespace anvil
