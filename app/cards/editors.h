// SPDX-License-Identifier: GPL-3.0-or-later
// The table of special editors: what a card shows beside the rows of its fields, where those are not enough.
#pragma once

#include "app/session.h"

class QWidget;

namespace anvil::app {

struct EditorKind {
  /// Is this editor for this field of the step's kind?
  bool (*fits)(const StepKind& kind, std::size_t field);
  QWidget* (*make)(Session& session, const Step& step, std::size_t field);
};
std::span<const EditorKind> editor_table();

}  // namespace anvil::app
