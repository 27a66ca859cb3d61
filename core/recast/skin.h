// SPDX-License-Identifier: GPL-3.0-or-later
// One watertight mesh laid on whatever can say where lines pass through it.
#pragma once

#include <functional>

#include "core/boolean/stage_clock.h"
#include "core/mesh/mesh.h"
#include "core/recast/corner.h"
#include "core/recast/grid.h"
#include "core/report.h"
#include "core/result.h"

namespace anvil::recast {

/// What a skin is laid on: a surface, or the zero of a field.
struct Ground {
  struct Met {
    Crossings crossings;
    std::vector<Vec3> normals;  ///< per triangle that a crossing may name: of length 1 or 0
    std::vector<Index> source;  ///< per such triangle, what the skin's faces are told to come from; empty: the triangle itself
  };
  std::function<Met(const Grid&)> meet;
  std::function<Tangent(const Vec3&)> nearest;  ///< asked from several threads
  Box3 box;
  bool closed = false;  ///< it is a surface without holes: all of a skin lies on it
};

/// Told of what the engine had to settle.
inline constexpr Note skin_settled{"skin_settled", "1 place of the skin was settled by the engine", "{0} places of the skin were settled by the engine"};

inline constexpr Note skin_finer{"skin_finer", "laid finer than asked for, at {1}, to stay within half a detail in folds about as narrow as that", "laid finer than asked for, at {1}, to stay within half a detail in folds about as narrow as that"};
inline constexpr Note skin_strays{"skin_strays", "1 face of the skin is farther than half a detail off what it covers: a finer detail comes nearer", "{0} faces of the skin are farther than half a detail off what they cover: a finer detail comes nearer"};
struct SkinSettings {
  double detail = 1;  ///< about how long the new edges are, mesh units
  bool sharp = true;
  double leave_out = 0;  ///< mesh units: walls thinner than that are left out (core/recast/leave_out_thin.h)
};

struct Skin {
  Mesh mesh;
  std::vector<Index> source;   ///< per face; no_index: none
  std::size_t spanned = 0;     ///< faces with no source
  double step = 0;             ///< of the grid it was laid on, mesh units: the detail, or less
  std::vector<char> at_root;   ///< per face: it closes the root of a wall that was left out; empty: none does
  std::size_t settled = 0;     ///< places that the engine had to settle
  std::size_t thin = 0;        ///< edges of the grid that pass right through a wall, between points that are both outside of it
  std::vector<Vec3> thin_at;   ///< where some of them do
  std::size_t left_out = 0;    ///< walls
  std::vector<Vec3> left_out_at;  ///< some of these
  std::vector<Vec3> strays;    ///< of a closed surface's skin, places on faces that are farther off than half a detail, where no grid came nearer
};

/// Contours the ground, draws vertices back until nothing crosses, else has the engine settle it, else tries again on another grid; on a finer one where what comes of it is farther off than half a detail.
/// @param name  for messages
/// @return sound; empty where nothing is enclosed. An Issue where the grid would be too large, or where no grid leads to a skin that is sound. Throws Stopped.
Result<Skin> lay_skin(const Ground& ground, const std::string& name, const SkinSettings& settings, boolean::StageClock& stage, const Control& control = {});

/// Tells what had to be settled, where the grid is finer than asked for, and where the skin is farther off than promised all the same.
void tell_how_laid(Skin& skin, double detail, const std::string& name, OperationReport& report);

/// The ground of a surface. Closed ones are solid where they wind around a point, of others what fills more than half of the view is inside (core/recast/grid_lines.h).
/// @param positions,triangles,normals  have to live as long as this
Ground ground_on(std::span<const Vec3> positions, std::span<const Triangle> triangles, const std::vector<Vec3>& normals, bool closed, const Control& control);

}  // namespace anvil::recast
