// SPDX-License-Identifier: GPL-3.0-or-later
#include "job/step_parts.h"

#include <fmt/format.h>

#include "core/mesh/edge_rule.h"
#include "core/modify/choose.h"
#include "core/modify/find_again.h"

namespace anvil {

Workpiece workpiece(const StepInput& input) { return {input.mesh, input.name, input.free_of_crossings(0), input.cache, input.piece, input.pieces}; }

namespace {

/// Elements of one kind that a text names.
Result<Elements> elements_named(const StepInput& input, const std::string& text, ElementKind kind, std::vector<Vec3>& missing) {
  const Topology topology(*input.mesh);
  Result<FoundElements> found = about(input, find_again(*input.mesh, topology, text, input.control));
  if (!found) return found.issue();
  missing = std::move(found->missing);
  return converted(*input.mesh, topology, found->found, kind);
}

}  // namespace

Result<std::vector<Index>> chosen_faces(const StepInput& input, const Field& field, bool needed, std::vector<Vec3>& missing) {
  Result<Elements> faces = elements_named(input, input.fields.text(field.key), ElementKind::faces, missing);
  if (!faces) return faces.issue();
  if (faces->empty() && !missing.empty()) return Issue{"none of the chosen faces is there any more", input.name, missing, "choose them again on the step's card"};
  if (faces->empty() && needed) return Issue{"no faces are chosen", input.name, {}, "choose them in the view and press \"take what is chosen\" on the step's card"};
  return std::move(faces->list);
}

Result<std::vector<Index>> edges_of_rule(const StepInput& input, const EdgeTable& edges, const Field& field, std::vector<Vec3>& missing) {
  const std::string& text = input.fields.text(field.key);
  const Result<EdgeRule> rule = parse_edge_rule(text);
  if (!rule) return rule.issue();
  std::vector<Index> list;
  if (rule->by == EdgeRule::By::chosen) {
    Result<Elements> chosen = elements_named(input, text, ElementKind::edges, missing);
    if (!chosen) return chosen.issue();
    list = proper_edges(*input.mesh, edges, chosen->list);
  } else {
    list = edges_by_rule(*input.mesh, edges, *rule, input.fresh_edges);
  }
  if (!list.empty()) return list;
  if (!missing.empty()) return Issue{"none of the chosen edges is there any more", input.name, missing, "choose them again on the step's card"};
  if (rule->by == EdgeRule::By::chosen) return Issue{"no edges are chosen that could be worked on", input.name, {}, "choose them in the view and press \"take what is chosen\" on the step's card"};
  return Issue{"there are no " + edge_rule_in_words(text) + " to work on", input.name, {}, "choose other edges on the step's card"};
}

std::optional<Issue> several_pieces(const StepInput& input, const std::string& verb) {
  if (input.pieces <= 1) return std::nullopt;
  return Issue{"is in several pieces, whose walls would no longer fit each other", input.name, {}, "make parts of the pieces first, or " + verb + " before the step that made them"};
}

StepOutput remade(const StepInput& input, Mesh mesh, std::span<const Index> source, OperationReport report, bool free_of_crossings, std::chrono::steady_clock::time_point begin) {
  StepOutput output;
  output.report = std::move(report);
  output.comparison = std::make_shared<const Comparison>(compare(*input.mesh, mesh, input.control.stop));
  for (Index f : source) output.sources.add(0, f);
  output.mesh = std::move(mesh);
  output.piece.assign(output.mesh.face_count(), 0);
  output.free_of_crossings = free_of_crossings;
  output.report.seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - begin).count();
  return output;
}

double coarsen_detail(Step& step, const Mesh& part) {
  constexpr double edges_along = 80;
  const double fair = bounds(part).diagonal() / edges_along, detail = step.values().number("detail");
  if (!(detail < fair)) return 0;
  const double coarse = std::max(fair, 2 * detail);
  set_field(step, "detail", coarse);
  step.stands_in = true;
  // To look for the edges of a fine mesh takes longer than all else.
  constexpr std::size_t fine = 300'000;
  if (part.face_count() > fine && field_place(step.kind->fields, "sharp")) set_field(step, "sharp", false);
  return coarse * coarse / (detail * detail);  // as many faces, and as much time or a little more
}

namespace {

/// Does visit(tool) for all tools, trays opened. An Issue for a tray that takes something away: opened, it would not be what it is.
std::optional<Issue> for_each_opened(const StepInput& input, const std::function<void(const StepInput::Tool&)>& visit) {
  std::optional<Issue> refused;
  const auto open = [&](const auto& self, const StepInput::Tool& tool) -> void {
    if (tool.tray.empty()) visit(tool);
    for (std::size_t k = 0; k < tool.tray.size(); ++k) {
      if (k > 0 && tool.tray[k].operation != Operation::unite)
        refused = Issue{fmt::format("cannot {} inside a tray here", key_of(tool.tray[k].operation)), tool.tray[k].name, {}, "make a part of the tray's parts by Combine first, and add that"};
      self(self, tool.tray[k]);
    }
  };
  for (const StepInput::Tool& tool : input.tools) open(open, tool);
  return refused;
}

}  // namespace

Result<std::vector<RepeatedTool>> repeated_tools(const StepInput& input, bool about_origin) {
  std::vector<RepeatedTool> tools;
  std::size_t opened = 0;
  const auto refused = for_each_opened(input, [&](const StepInput::Tool& tool) {
    Affine own = tool.placement;
    if (about_origin) own.translation().setZero();
    tools.push_back({tool.mesh, tool.name, own, input.free_of_crossings(++opened)});
  });
  if (refused) return *refused;
  return tools;
}

Result<StepOutput> repeated(const StepInput& input, std::span<const Affine> places) {
  const auto tools = repeated_tools(input, false);
  if (!tools) return tools.issue();
  const auto count = static_cast<double>(places.size());
  if (tools->empty()) {
    if (const auto issue = too_many_copies(input, count, *input.mesh)) return *issue;
    return as_output(repeat(workpiece(input), places, input.control));
  }
  for (const RepeatedTool& tool : *tools)
    if (const auto issue = too_many_copies(input, count * static_cast<double>(tools->size()), *tool.mesh)) return *issue;
  std::vector<Affine> of_each;  // the tools take turns
  for (const Affine& place : places) of_each.insert(of_each.end(), tools->size(), place);
  return as_output(combine_at_places(workpiece(input), *tools, of_each, *operation_named(input.fields.text("operation")), input.control));
}

Field repeated_operation() {
  return choice_field("operation", "Operation", "difference", choices_of({Operation::difference, Operation::unite, Operation::gather, Operation::intersection, Operation::split}),
                      "What the tools do to the part, where the step has tools: then these are repeated, and not the part.");
}

Box3 bounds_of_repeated(const StepInput& input) {
  Box3 box;
  for_each_opened(input, [&](const StepInput::Tool& tool) {
    for (const Vec3& p : tool.mesh->positions) box.add(tool.placement * p);
  });
  return box.empty() ? bounds(*input.mesh) : box;
}

std::optional<Issue> too_many_copies(const StepInput& input, double copies, const Mesh& each) {
  constexpr double max_copies = 20000, max_triangles = 2e7;
  if (copies > max_copies) return Issue{"would be more than 20 000 copies", input.name, {}, "choose fewer, or a larger distance"};
  const double triangles = copies * (static_cast<double>(each.corners.size()) - 2 * static_cast<double>(each.face_count()));
  if (triangles > max_triangles) return Issue{"would be more than 20 million triangles", input.name, {}, "choose fewer copies, or a coarser one"};
  return std::nullopt;
}

std::vector<FieldChoice> choices_of(std::initializer_list<Operation> operations) {
  std::vector<FieldChoice> choices;
  for (const Operation operation : operations) choices.push_back({key_of(operation), key_of(operation)});
  return choices;
}

Result<std::vector<recast::Part>> opened_parts(const StepInput& input) {
  std::vector<recast::Part> parts{{input.mesh, input.name}};
  const auto refused = for_each_opened(input, [&](const StepInput::Tool& tool) {
    if (tool.mesh != nullptr) parts.push_back({tool.mesh, tool.name, tool.placement});
  });
  if (refused) return *refused;
  return parts;
}

}  // namespace anvil
