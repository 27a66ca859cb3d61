// SPDX-License-Identifier: GPL-3.0-or-later
// Mend: finds every flaw of the part and repairs it, mender by mender; piece by piece where the part has several, which touch
// wall to wall on purpose.
#include "core/mend/mend.h"

#include <chrono>

#include "core/mesh/sub_mesh.h"
#include "core/modify/find_again.h"
#include "core/soundness/check.h"
#include "job/hand_edit.h"

namespace anvil {
namespace {

/// The faces at which flaws are mended: all where the step names none. An Issue when none of those it names is there.
Result<std::vector<char>> scope_of(const StepInput& input, StepOutput& output) {
  std::vector<char> scope;
  const std::string& text = input.fields.text("only");
  Result<NamedElements> named = named_elements(text);
  if (named && named->count == 0) return scope;
  const Topology topology(*input.mesh);
  Result<FoundElements> found = find_again(*input.mesh, topology, text, input.control);
  if (!found) return found.issue();
  if (found->found.empty())
    return Issue{"nothing of what it was to mend is there any more", input.name, found->missing, "delete the step, or let it mend the whole part"};
  tell_missing(output.report, input.name, found->missing);
  scope.assign(input.mesh->face_count(), 0);
  for (Index e : found->found.list) {
    if (found->found.kind == ElementKind::faces) scope[e] = 1;
    if (found->found.kind == ElementKind::edges)
      for (Index f : topology.faces_on(e)) scope[f] = 1;
    if (found->found.kind == ElementKind::vertices)
      for (Index f : topology.faces_at(e)) scope[f] = 1;
  }
  return scope;
}

/// @param piece  receives, per face, which piece it is of, where there are several
Mended mend_pieces(const StepInput& input, const MendSettings& settings, std::vector<Index>& piece) {
  if (input.pieces < 2) return mend(*input.mesh, settings, input.control);
  Mended all;
  Index number = 0;
  for (const SubMesh& whole : take_apart(*input.mesh, input.piece, input.pieces)) {
    MendSettings own = settings;
    own.scope.clear();
    if (!settings.scope.empty())
      for (Index f : whole.faces) own.scope.push_back(settings.scope[f]);
    Mended one = mend(whole.mesh, own, input.control);
    for (Index f : one.source) all.source.push_back(f == no_index ? no_index : whole.faces[f]);
    append(all.mesh, one.mesh);
    piece.resize(all.source.size(), number++);
    for (Deed& deed : one.deeds) add_deed(all.deeds, std::move(deed));
    for (std::string& why : one.left)
      if (std::find(all.left.begin(), all.left.end(), why) == all.left.end()) all.left.push_back(std::move(why));
  }
  std::stable_sort(all.deeds.begin(), all.deeds.end(), [](const Deed& a, const Deed& b) { return a.mender->rank < b.mender->rank; });
  return all;
}

Result<StepOutput> run_mend(const StepInput& input) {
  const auto begin = std::chrono::steady_clock::now();
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
  StepOutput output;
  Result<std::vector<char>> scope = scope_of(input, output);
  if (!scope) {
    scope.issue().subject = input.name;
    return scope.issue();
  }
  settings.scope = std::move(*scope);
  Mended mended = mend_pieces(input, settings, output.piece);
  if (input.pieces > 1 || !settings.scope.empty()) {
    // Mending looked at its scope, piece by piece; the verdict is about the whole.
    output.pieces = input.pieces;
    mended.before = check_pieces(*input.mesh, input.piece, input.pieces, input.control.stop);
    mended.after = check_pieces(mended.mesh, output.piece, output.pieces, input.control.stop);
  }
  auto compared = std::make_shared<Comparison>(compare(*input.mesh, mended.mesh, input.control.stop));
  compared->before = std::make_shared<const SoundnessReport>(std::move(mended.before));
  compared->after = std::make_shared<const SoundnessReport>(std::move(mended.after));
  for (Deed& deed : mended.deeds) {
    for (auto& told : deed.told) output.report.tell(*told.note, told.count, input.name, std::move(told.places));
    compared->repairs.push_back({deed.mender->key, in_words(deed), deed.count, deed.places});
    if (deed.places.size() > OperationReport::max_places) deed.places.resize(OperationReport::max_places);
    output.report.tell(*deed.mender->did, deed.count, input.name, std::move(deed.places));
  }
  compared->left = std::move(mended.left);
  for (Index f : mended.source) output.sources.add(0, f);
  output.mesh = std::move(mended.mesh);
  output.soundness = compared->after;
  output.free_of_crossings = input.pieces < 2 && compared->after->free_of_crossings();
  if (output.mesh.empty()) output.report.empty_reason = "nothing of the part encloses a volume";
  output.comparison = std::move(compared);
  output.report.seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - begin).count();
  return output;
}

std::vector<Field> mend_fields() {
  std::vector<Field> fields{
      length_field("tolerance", "Weld within", 0, "Vertices of open edges nearer to each other than this become one; 0 is a hundred-thousandth of the size.", 0),
      choice_field("solid", "Solid is", "add", {{"add", "what any shell encloses"}, {"alternate", "shells in turn solid and hollow"}},
                   "What counts as solid where shells cross or lie in each other."),
      length_field("longest-hole", "Holes up to", 0, "Longer ones stay open; 0 closes all.", 0)};
  fields.push_back(folded(elements_field("only", "Only at", {"faces", "edges", "vertices"}, 0, 0, "Faces, edges or vertices: only flaws there are mended; none named: all are.")));
  for (const Mender* mender : mender_table()) fields.push_back(folded(toggle_field(mender->key, mender->label, mender->ticked, mender->help)));
  fields.push_back(folded(length_field("opening-width", "Opening", 0, "How far touching places are moved apart; 0 is the least that works.", 0)));
  return fields;
}

}  // namespace

const StepKind steps::mend = {
    "mend", "Mend", "mend", "mend", "Find every flaw of the part and repair it.", ToolRule::none, mend_fields(), run_mend, 1, "Shift+E"};

}  // namespace anvil
