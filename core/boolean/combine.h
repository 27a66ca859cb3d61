// SPDX-License-Identifier: GPL-3.0-or-later
// The Boolean engine's only door: any number of parts, each with its operation, in order.
#pragma once

#include <Eigen/Geometry>
#include <array>
#include <atomic>
#include <memory>
#include <stop_token>
#include <string>

#include "core/mesh/mesh.h"

namespace anvil {

using Affine = Eigen::Affine3d;

/// What a part does to all before it.
enum class Operation {
  unite,
  difference,
  intersection,
  split,         ///< everything stays, cut along the tool; a tool that bounds nothing cuts as a sheet
  partition,     ///< A − B, A ∩ B and B − A as separate pieces
  inlay,         ///< A − B and B as separate pieces
  score,         ///< the curve of intersection becomes edges of A's faces; nothing is removed
  trim_inside,   ///< A's faces inside B go, no wall is added: the result is open on purpose
  trim_outside,  ///< A's faces outside B go
  gather         ///< added as it is, without any computation
};
inline constexpr std::array all_operations{
    Operation::unite, Operation::difference, Operation::intersection, Operation::split,        Operation::partition,
    Operation::inlay, Operation::score,      Operation::trim_inside,  Operation::trim_outside, Operation::gather};

/// Stable name used in files and on the command line: "union", "difference", "trim-inside", …
const char* key_of(Operation operation);
Result<Operation> operation_named(const std::string& key);
/// The operation gives pieces of its own: split, partition, inlay.
bool makes_pieces(Operation operation);

/// One part of a combination, placed in the common space.
struct Operand {
  std::shared_ptr<const Mesh> mesh;             ///< null for a tray
  std::string name;                             ///< for messages and the report
  Operation operation = Operation::difference;  ///< what it does to all before it; ignored on the first
  Affine placement = Affine::Identity();
  bool free_of_crossings = false;  ///< known from its soundness report; saves testing it against itself
  /// A tray: combined among themselves first (union, difference and intersection only), then used as one part.
  std::vector<Operand> tray = {};
};

/// What the engine did beside the plain result, for the rail, the card and the command line.
struct BooleanReport {
  struct Done {
    std::string what;  ///< stable key, e.g. "operands_turned_right"; docs/cli.md lists them
    std::size_t count;
    std::string part;
    std::vector<Vec3> places = {};  ///< where, in the common space; at most a hundred
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

/// What was done, as people read it: "2 holes closed in Float housing"; "" for what is of no interest to them.
std::string in_words(const BooleanReport::Done& done);

struct BooleanResult {
  Mesh mesh;
  // Where each face of the mesh comes from. Its material slot is that of the face it comes from (mesh.materials).
  std::vector<Index> part;  ///< which operand, trays opened, in order
  std::vector<Index> face;  ///< which face of its mesh; no_index for one that closed a hole
  std::vector<Index> piece;  ///< 0 … pieces − 1; all 0 unless an operation makes pieces
  Index pieces = 1;          ///< split: by place; partition: A − B, A ∩ B, B − A; inlay: A − B, then B
  bool open_on_purpose = false;  ///< an open trim made it
  /// Vertex pairs of the edges that the operation made: where faces of different parts meet, and scored ones.
  std::vector<std::array<Index, 2>> fresh_edges;
  BooleanReport report;

  /// One piece as a mesh of its own.
  Mesh piece_mesh(Index which) const;
};

/// How to watch and end a computation.
struct Control {
  std::stop_token stop;
  std::atomic<double>* progress = nullptr;  ///< 0 to 1, written by the computation
};

/// Keeps what depends on one part only from run to run, by mesh and placement: welding, triangles, edges and
/// hierarchy. Give the same cache to every run of one recipe. Not for several threads at once.
class CombineCache {
 public:
  CombineCache();
  ~CombineCache();
  CombineCache(CombineCache&&) noexcept;
  CombineCache& operator=(CombineCache&&) noexcept;
  struct State;
  State& state() { return *state_; }

 private:
  std::unique_ptr<State> state_;
};

/// What a combination may be told beside its parts.
struct CombineSettings {
  /// What lies nearer than this is made to meet exactly, in the unit of the coordinates; 0 turns it off,
  /// negative means 1e-6 of the diagonal of all parts' bounds.
  double contact = -1;
  CombineCache* cache = nullptr;  ///< none: nothing is kept
  bool every_triangle = false;    ///< look at far triangles one by one too: slower, the same result; for tests
};

/// Evaluates ((first op₂ second) op₃ third) … in one pass over the arrangement of all parts.
///
/// A point is inside a part where the part's winding number is not zero, so parts may cross themselves, hold
/// shells within shells or be inside out. Holes are closed for the computation, faces turned the wrong way
/// are turned right; both are reported. The result is closed, edge- and vertex-manifold and free of crossings
/// in the doubles it holds, piece by piece; where it touches itself the vertices are doubled. It may be empty
/// and then says why. Polygons that no cut touched come back bit for bit; of the others, edges between
/// triangles of one polygon do not survive where the rest is a simple polygon.
/// Deterministic on any number of threads.
/// @return the combined mesh in the common space, or an Issue that names the part and what to do, when a part
///         bounds nothing. Throws Stopped.
Result<BooleanResult> combine(const std::vector<Operand>& operands, const Control& control = {},
                              const CombineSettings& settings = {});

/// A mesh rounded to 32-bit coordinates for files that hold no more. A sound mesh stays sound: what rounding
/// brings to meet or cross is made to meet and settled as the engine does; a mesh that is not closed and free of
/// crossings is only rounded. @param report  "float_settled" when something had to be settled
Mesh settle_to_float(const Mesh& mesh, BooleanReport& report, const Control& control = {});

}  // namespace anvil
