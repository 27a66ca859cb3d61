// SPDX-License-Identifier: GPL-3.0-or-later
// A flat base to stand on: cut by a plane and closed along it; open borders above it are stretched down to it.
#pragma once

#include "core/shape/with_made.h"

namespace anvil {

struct FlatBaseSettings {
  Vec3 point = Vec3::Zero();   ///< any point of the plane, mesh units
  Vec3 normal = Vec3(0, 0, 1); ///< upwards; any length but zero
  double foot = 0;             ///< mesh units, not negative: how far what stands on the plane goes on straight down
};

/// What lies below the plane goes. What stands on it goes on down by the foot, and is closed flat there.
///
/// A closed part is cut as by plane_cut(). Of an open one, such as a scan of what stood on a table, the borders that look down are stretched straight to the base; where walls made so cross
/// each other or the part, the engine settles it. Borders that look up are holes and stay, which is told.
/// @return the part on its base: sound where the part was, or where its only open border was stretched. Empty with a reason where nothing lies above the plane. An Issue where the open border
///         does not run in closed chains. Throws Stopped.
Result<BooleanResult> flat_base(const Workpiece& part, const FlatBaseSettings& settings, const Control& control = {});

}  // namespace anvil
