// SPDX-License-Identifier: GPL-3.0-or-later
// What steps of shaping have in common: the part as a workpiece, chosen faces or edges that are found again.
#pragma once

#include <chrono>

#include "core/mesh/edges.h"
#include "core/recast/soup.h"
#include "core/shape/array.h"
#include "job/step.h"

namespace anvil {

Workpiece workpiece(const StepInput& input);

/// An Issue of a core function, with the part as its subject.
template <class T>
Result<T> about(const StepInput& input, Result<T> result) {
  if (!result && result.issue().subject.empty()) result.issue().subject = input.name;
  return result;
}

/// Faces that a field of elements names, found again; those that are gone are told in `missing`. An Issue when none is there and some are needed.
Result<std::vector<Index>> chosen_faces(const StepInput& input, const Field& field, bool needed, std::vector<Vec3>& missing);

/// Edges by the rule of a field (core/mesh/edge_rule.h), that can be finished. An Issue when there is none.
Result<std::vector<Index>> edges_of_rule(const StepInput& input, const EdgeTable& edges, const Field& field, std::vector<Vec3>& missing);

/// What makes another surface out of that of a part refuses one in several pieces, whose walls would no longer fit each other.
/// @param verb  what to do before the step that made them: "reduce"
std::optional<Issue> several_pieces(const StepInput& input, const std::string& verb);
/// Such a surface as a step's output, compared before and after.
/// @param source  which face of the part each of its faces was
/// @param begin   of the step
StepOutput remade(const StepInput& input, Mesh mesh, std::span<const Index> source, OperationReport report, bool free_of_crossings, std::chrono::steady_clock::time_point begin);

/// StepKind::coarsen for a kind with a field "detail": where it is less than an eightieth of the part's size it becomes that, or twice as large.
double coarsen_detail(Step& step, const Mesh& part);

/// Tools of the step, trays opened, as they are repeated. An Issue for a tray that takes something away.
/// @param about_origin  each about its own origin; else from where it stands
Result<std::vector<RepeatedTool>> repeated_tools(const StepInput& input, bool about_origin);
/// The part at places, or, of a step with tools, all of these at each place, combined with the part by the operation that the step's field of that name has.
Result<StepOutput> repeated(const StepInput& input, std::span<const Affine> places);
/// That field.
Field repeated_operation();
/// What is repeated, in the part's frame.
Box3 bounds_of_repeated(const StepInput& input);

/// Why so many copies cannot be made: more than 20 000, or than 20 million triangles together. @param each  the mesh of one, or the largest of several
std::optional<Issue> too_many_copies(const StepInput& input, double copies, const Mesh& each);

/// The operations that a step with made tools offers: "difference", "union", "intersection" and so on.
std::vector<FieldChoice> choices_of(std::initializer_list<Operation> operations);

/// The part and its tools, trays opened, in the order in which faces name them, for what works on all of them as they are. An Issue for a tray that takes something away: opened, it would not be
/// what it is.
Result<std::vector<recast::Part>> opened_parts(const StepInput& input);

}  // namespace anvil
