// SPDX-License-Identifier: GPL-3.0-or-later
// The Boolean engine's only door: any number of parts, each with its operation, in order.
#pragma once

#include <array>
#include <memory>
#include <optional>
#include <string>

#include "core/boolean/contact_tolerance.h"
#include "core/control.h"
#include "core/mesh/attributes.h"
#include "core/report.h"

namespace anvil {

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
  bool alternate = false;  ///< inside is where the winding number is odd: shells within shells are solid and cavity in turn
  /// A tray: combined among themselves first (union, difference and intersection only), then used as one part. May hold trays.
  std::vector<Operand> tray = {};
};

struct BooleanResult {
  Mesh mesh;
  /// Which operand each face comes from, trays opened, in order, and which face of its mesh (no_index for one that closed
  /// a hole). Material slots come from there.
  FaceSources sources;
  std::vector<Index> piece;  ///< 0 … pieces − 1; all 0 unless an operation makes pieces
  Index pieces = 1;          ///< split: by place; partition: A − B, A ∩ B, B − A; inlay: A − B, then B
  bool open_on_purpose = false;  ///< an open trim made it
  bool free_of_crossings = false;  ///< known to cross itself nowhere
  /// Vertex pairs of the edges that the operation made: where faces of different parts meet, and scored ones.
  std::vector<std::array<Index, 2>> fresh_edges;
  OperationReport report;

  /// One piece as a mesh of its own.
  Mesh piece_mesh(Index which) const;
};

/// Keeps what depends on one part only from run to run, by mesh and placement: welding, triangles, edges and
/// hierarchy. Give the same cache to every run of one recipe. Not for several threads at once.
class CombineCache {
 public:
  CombineCache();
  ~CombineCache();
  CombineCache(CombineCache&&) noexcept;
  CombineCache& operator=(CombineCache&&) noexcept;
  /// About how much memory is kept.
  std::size_t bytes() const;
  struct State;
  State& state() { return *state_; }

 private:
  std::unique_ptr<State> state_;
};

/// What a combination may be told beside its parts.
struct CombineSettings {
  /// What lies nearer than this is made to meet exactly, in the unit of the coordinates; 0 turns it off. Nothing: what
  /// contact_tolerance() gives for the bounds of all parts.
  std::optional<double> contact = {};
  CombineCache* cache = nullptr;  ///< none: nothing is kept
  bool resolve = false;  ///< a single part is cleared of its own crossings, instead of going through as it is
  bool impatient = false;         ///< what takes snap-rounding repair more than a while is an Issue, not waited for
  bool every_triangle = false;    ///< look at untouched triangles one by one too: slower, the same result; for tests
};

/// Told where the contact tolerance had to be left out.
inline constexpr Note contact_left_out{"contact_left_out", "near faces could not all be made to meet: combined without contact",
                                       "near faces could not all be made to meet: combined without contact"};

/// How the Issue of a part that encloses no volume begins.
inline constexpr const char* bounds_nothing = "it bounds nothing";

/// Evaluates ((first op₂ second) op₃ third) … in one pass over the arrangement of all parts.
///
/// A point is inside a part where the part's winding number is not zero (or odd, where asked for), so parts may cross themselves, hold
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

}  // namespace anvil
