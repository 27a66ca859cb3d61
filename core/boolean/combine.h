// SPDX-License-Identifier: GPL-3.0-or-later
// The Boolean engine's only door: any number of parts, each with its operation, in order.
#pragma once

#include <Eigen/Geometry>
#include <atomic>
#include <memory>
#include <stop_token>
#include <string>

#include "core/mesh/mesh.h"

namespace anvil {

using Affine = Eigen::Affine3d;

enum class Operation { unite, difference, intersection };

/// Stable name used in files and on the command line: "union", "difference", "intersection".
const char* key_of(Operation operation);
Result<Operation> operation_named(const std::string& key);

/// One part of a combination, placed in the common space.
struct Operand {
  std::shared_ptr<const Mesh> mesh;
  std::string name;                             ///< for messages and the report
  Operation operation = Operation::difference;  ///< what it does to all before it; ignored on the first
  Affine placement = Affine::Identity();
};

/// What the engine did beside the plain result, for the rail, the card and the command line.
struct BooleanReport {
  struct Done {
    std::string what;  ///< stable key, e.g. "operands_turned_right"
    std::size_t count;
    std::string part;
  };
  struct Stage {
    std::string name;
    double seconds;
  };
  std::vector<Done> done;
  std::vector<Stage> stages;
  double seconds = 0;        ///< wall clock, the whole operation
  std::string empty_reason;  ///< why the result is empty; "" when it is not
};

struct BooleanResult {
  Mesh mesh;
  BooleanReport report;
};

/// How to watch and end a computation.
struct Control {
  std::stop_token stop;
  std::atomic<double>* progress = nullptr;  ///< 0 to 1, written by the computation
};

/// Evaluates ((first op₂ second) op₃ third) …
///
/// Parts need to bound a volume: closed, manifold, free of crossings. Whole parts that are inside out are
/// turned right, and reported. The result may be empty and then says why. Deterministic.
/// @return the combined mesh in the common space, or an Issue that names the part, the places in that
///         part's own coordinates, and what to do. Throws Stopped.
Result<BooleanResult> combine(const std::vector<Operand>& operands, const Control& control = {});

}  // namespace anvil
