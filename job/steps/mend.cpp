// SPDX-License-Identifier: GPL-3.0-or-later
// Mend: finds every flaw of the part and repairs it, mender by mender.
#include "core/mend/mend.h"

#include <chrono>

#include "job/step.h"

namespace anvil {
namespace {

Result<StepOutput> run(const StepInput& input) {
  const FieldReader& fields = input.fields;
  MendSettings settings;
  if (const double tolerance = fields.number("tolerance"); tolerance > 0) settings.tolerance = tolerance;
  settings.solid = fields.text("solid") == "add" ? Solid::add : Solid::alternate;
  settings.longest_hole = fields.number("longest-hole");
  settings.opening = fields.number("opening-width");
  std::vector<const Mender*> allowed;
  for (const Mender* mender : mender_table())
    if (fields.on(mender->key)) allowed.push_back(mender);
  settings.menders = allowed;
  const auto begin = std::chrono::steady_clock::now();
  Mended mended = mend(*input.mesh, settings, input.control);
  StepOutput output;
  auto compared = std::make_shared<Comparison>();
  compared->before = std::make_shared<const SoundnessReport>(std::move(mended.before));
  compared->after = std::make_shared<const SoundnessReport>(std::move(mended.after));
  compared->deviation = deviation_between(*input.mesh, mended.mesh, input.control.stop);
  compared->deviation.from_old.at_vertex = {};
  compared->deviation.from_old.in_triangle = {};
  for (Deed& deed : mended.deeds) {
    compared->repairs.push_back({deed.mender->key, in_words(deed), deed.count, deed.places});
    if (deed.places.size() > OperationReport::max_places) deed.places.resize(OperationReport::max_places);
    output.report.tell(*deed.mender->did, deed.count, input.name, std::move(deed.places));
  }
  compared->left = std::move(mended.left);
  for (Index f : mended.source) output.sources.add(0, f);
  output.mesh = std::move(mended.mesh);
  output.soundness = compared->after;
  output.free_of_crossings = compared->after->free_of_crossings();
  if (output.mesh.empty()) output.report.empty_reason = "nothing of the part encloses a volume";
  output.comparison = std::move(compared);
  output.report.seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - begin).count();
  return output;
}

Field folded(Field field) {
  field.folded = true;
  return field;
}

std::vector<Field> mend_fields() {
  std::vector<Field> fields{
      length_field("tolerance", "Weld within", 0, "Vertices of open edges nearer to each other than this become one; 0 is a hundred-thousandth of the size.", 0),
      choice_field("solid", "Solid is", "add", {{"add", "what any shell encloses"}, {"alternate", "shells in turn solid and hollow"}},
                   "What counts as solid where shells cross or lie in each other."),
      length_field("longest-hole", "Holes up to", 0, "Longer ones stay open; 0 closes all.", 0)};
  for (const Mender* mender : mender_table()) fields.push_back(folded(toggle_field(mender->key, mender->label, mender->ticked, mender->help)));
  fields.push_back(folded(length_field("opening-width", "Opening", 0, "How far touching places are moved apart; 0 is the least that works.", 0)));
  return fields;
}

}  // namespace

const StepKind steps::mend = {
    "mend", "Mend", "mend", "mend", "Find every flaw of the part and repair it.", ToolRule::none, mend_fields(), run, 1, "Shift+E"};

}  // namespace anvil
