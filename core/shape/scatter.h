// SPDX-License-Identifier: GPL-3.0-or-later
// Places scattered over faces, by a seed.
#pragma once

#include <cstdint>
#include <span>

#include "core/control.h"
#include "core/mesh/mesh.h"

namespace anvil {

struct ScatterSettings {
  Index count = 100;        ///< how many places; 0: as many as fit by the distance
  double distance = 0;      ///< no two places nearer to each other than this, in a straight line; 0: anywhere
  double share = 1;         ///< of the places, how many are kept at random
  double min_size = 1, max_size = 1;  ///< factors; each copy is as large as chance says between them
  bool along_normal = true;  ///< z of the copies stands upright on the face; else it stays as it is
  bool turned = true;        ///< turned about z by chance
  std::uint64_t seed = 1;
};

/// Points spread evenly by area over the faces, and how a copy stands there. By a distance they are a Poisson disc sampling by dart throwing (Cook,
/// "Stochastic Sampling in Computer Graphics", 1986), until thirty darts for each disc that fits have been thrown. The same seed
/// gives the same places.
/// @param faces  of the mesh; empty: all of them
/// @param wanted_left_out  receives how many of `count` found no place
std::vector<Affine> scatter_places(const Mesh& mesh, std::span<const Index> faces, const ScatterSettings& settings, std::size_t* wanted_left_out = nullptr, const Control& control = {});

}  // namespace anvil
