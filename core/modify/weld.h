// SPDX-License-Identifier: GPL-3.0-or-later
// When vertices may become one, for the mender of seams and for joining.
#pragma once

#include <unordered_map>

#include "core/mesh/mesh.h"

namespace anvil {

/// Faces at some vertices.
using FacesAt = std::unordered_map<Index, std::vector<Index>>;
FacesAt faces_at(const Mesh& mesh, std::span<const Index> vertices);

/// Where vertices meet: what lies at one place stays there, bit for bit; what is apart meets in the middle.
Vec3 meeting_place(const Mesh& mesh, std::span<const Index> cluster);
/// Does welding turn no face over, and take none away but those of no more extent than the gap?
/// @param cluster  sorted vertices that become one at `at`
/// @param gap      mesh units
/// @param at_each  of all vertices of the cluster at least
bool is_harmless_weld(const Mesh& mesh, std::span<const Index> cluster, const Vec3& at, double gap, const FacesAt& at_each);

}  // namespace anvil
