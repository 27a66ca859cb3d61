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
  bool free_of_crossings = false;  ///< known from its soundness report; saves testing it against itself
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

/// What a combination may be told beside its parts.
struct CombineSettings {
  /// What lies nearer than this is made to meet exactly, in the unit of the coordinates; 0 turns it off,
  /// negative means 1e-6 of the diagonal of all parts' bounds.
  double contact = -1;
};

/// Evaluates ((first op₂ second) op₃ third) … in one pass over the arrangement of all parts.
///
/// A point is inside a part where the part's winding number is not zero, so parts may cross themselves, hold
/// shells within shells or be inside out. Holes are closed for the computation, faces turned the wrong way
/// are turned right; both are reported. The result is closed, edge- and vertex-manifold and free of crossings
/// in the doubles it holds; where it touches itself the vertices are doubled. It may be empty and then says
/// why. Deterministic on any number of threads.
/// @return the combined mesh in the common space, or an Issue that names the part and what to do, when a part
///         bounds nothing. Throws Stopped.
Result<BooleanResult> combine(const std::vector<Operand>& operands, const Control& control = {},
                              const CombineSettings& settings = {});

}  // namespace anvil
