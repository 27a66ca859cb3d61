// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/cards/editors.h"

#include "app/cards/direction_editor.h"
#include "app/cards/elements_editor.h"
#include "app/cards/plane_editor.h"

namespace anvil::app {

std::span<const EditorKind> editor_table() {
  static constexpr std::array rows = {
      // A direction that goes through a point is a plane.
      EditorKind{[](const StepKind& kind, std::size_t field) {
                   return kind.fields[field].kind == FieldKind::direction && field_place(kind.fields, kind.fields[field].through).has_value();
                 },
                 [](Session& session, const Step& step, std::size_t field) -> QWidget* {
                   return new PlaneEditor(session, step.id, *field_place(step.kind->fields, step.kind->fields[field].through), field);
                 }},
      EditorKind{[](const StepKind& kind, std::size_t field) {
                   const Field& one = kind.fields[field];
                   return one.kind == FieldKind::direction && !one.folded && one.through.empty();
                 },
                 [](Session& session, const Step& step, std::size_t field) -> QWidget* { return new DirectionEditor(session, step.id, field); }},
      EditorKind{[](const StepKind& kind, std::size_t field) { return (kind.fields[field].kind == FieldKind::elements && !kind.fields[field].folded) || kind.fields[field].kind == FieldKind::edges; },
                 [](Session& session, const Step& step, std::size_t field) -> QWidget* { return new ElementsEditor(session, step.id, field); }}};
  return rows;
}

}  // namespace anvil::app
