// SPDX-License-Identifier: GPL-3.0-or-later
#include "job/hand_edit.h"

#include <fmt/format.h>

#include <chrono>
#include <unordered_map>

#include "core/modify/choose.h"
#include "core/modify/find_again.h"

namespace anvil {
namespace {

constexpr Note missing{"elements_missing", "1 chosen element of {1} was not found again", "{0} chosen elements of {1} were not found again"};
constexpr Note left_as_was{"edit_left", "left as it was, {1}", "{0} places left as they were, {1}"};

ElementKind kind_named(const std::string& name) {
  for (const ElementKind kind : {ElementKind::vertices, ElementKind::edges})
    if (name == name_of(kind, true)) return kind;
  return ElementKind::faces;
}

/// Pieces go with the faces; a face made anew is of the piece at its corners.
std::vector<Index> pieces_of(const EditedMesh& made, std::span<const Index> piece) {
  std::vector<Index> of_face(made.mesh.face_count(), no_index), of_vertex(made.mesh.positions.size(), 0);
  for (Index f = 0; f < of_face.size(); ++f) {
    if (made.source[f] == no_index) continue;
    of_face[f] = piece[made.source[f]];
    for (Index v : made.mesh.face(f)) of_vertex[v] = of_face[f];
  }
  for (Index f = 0; f < of_face.size(); ++f)
    if (of_face[f] == no_index) of_face[f] = of_vertex[made.mesh.face(f)[0]];
  return of_face;
}

}  // namespace

Field chosen_field(std::vector<std::string> kinds, double min, double max, std::string help) {
  return elements_field("chosen", "Chosen", std::move(kinds), min, max, std::move(help));
}

Field to_sides_field() {
  return toggle_field("to-sides", "On to its sides", true, "What is rounded beside the edge goes on to the surface on its side, the edge to where these meet; off, it lies on the surface as that is.");
}
Field reach_field() { return folded(length_field("reach", "Reach", 0, "How far beside the edge the surface is rounded; 0: two and a half of the edges there.", 0)); }
EdgeSettings edge_settings(const FieldReader& fields) {
  EdgeSettings settings;
  settings.to_sides = fields.on("to-sides");
  settings.reach = fields.number("reach");
  return settings;
}

void tell_missing(OperationReport& report, const std::string& part, std::vector<Vec3> places) {
  const std::size_t count = places.size();
  if (count > OperationReport::max_places) places.resize(OperationReport::max_places);
  if (count > 0) report.tell(missing, count, part, std::move(places));
}

Result<StepOutput> run_edit(const StepInput& input, const Field& field, const Note& did, ElementEdit edit) {
  const auto begin = std::chrono::steady_clock::now();
  const Mesh& mesh = *input.mesh;
  const Topology topology(mesh);
  Result<FoundElements> named = find_again(mesh, topology, input.fields.text(field.key), input.control);
  if (!named) {
    named.issue().subject = input.name;
    return named.issue();
  }
  check_stop(input.control);
  Elements chosen = std::move(named->found);
  const bool fits = std::any_of(field.choices.begin(), field.choices.end(), [&](const FieldChoice& c) { return c.key == name_of(chosen.kind, true); });
  if (!fits) chosen = converted(mesh, topology, chosen, kind_named(field.choices[0].key));
  const std::size_t named_count = chosen.size() + named->missing.size();
  if (static_cast<double>(chosen.size()) < field.min || (field.max > 0 && static_cast<double>(chosen.size()) > field.max)) {
    const auto needed = field.max == field.min ? fmt::format("{}", field.min) : field.max > 0 ? fmt::format("{} to {}", field.min, field.max) : fmt::format("at least {}", field.min);
    if (!named->missing.empty())
      return Issue{fmt::format("{} of {} chosen elements are not there any more", named->missing.size(), named_count), input.name, named->missing,
                   "choose them again on the step's card, or switch the step off"};
    return Issue{fmt::format("{} {} are chosen, and it takes {}", chosen.size(), name_of(chosen.kind, chosen.size() != 1), needed), input.name, {},
                 "choose them in the view and press \"take what is chosen\" on the step's card"};
  }
  Result<Edited> edited = edit(mesh, topology, chosen, input.fields, input.control);
  if (!edited) {
    edited.issue().subject = input.name;
    return edited.issue();
  }
  StepOutput output;
  const auto tell = [&](const Note& note, std::size_t count, std::string about, std::vector<Vec3> places) {
    if (places.size() > OperationReport::max_places) places.resize(OperationReport::max_places);
    if (count > 0) output.report.tell(note, count, std::move(about), std::move(places));
  };
  tell(did, edited->done, input.name, {});
  tell_missing(output.report, input.name, named->missing);
  tell(left_as_was, edited->left.size(), edited->why_left, edited->left);
  for (Index f : edited->mesh.source) output.sources.add(0, f);
  output.pieces = input.pieces;
  if (input.pieces > 1) output.piece = pieces_of(edited->mesh, input.piece);
  output.mesh = std::move(edited->mesh.mesh);
  if (output.mesh.empty()) output.report.empty_reason = "no face is left";
  output.report.seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - begin).count();
  return output;
}

}  // namespace anvil
