// SPDX-License-Identifier: GPL-3.0-or-later
// What CGAL offers for the work that reading and the soundness check do, behind plain functions.
#pragma once

#include <functional>
#include <string>

#include "core/mesh/mesh.h"

namespace anvil::bench {

/// Reads a polygon soup with CGAL::IO::read_STL and merges its equal points with
/// CGAL::Polygon_mesh_processing::merge_duplicate_points_in_polygon_soup.
/// @return number of points left
std::size_t cgal_read_and_merge(const std::string& path);

/// Builds CGAL's mesh at once; calling the returned function runs does_self_intersect, parallel where
/// CGAL can do so.
std::function<bool()> cgal_does_self_intersect(const Mesh& mesh);

}  // namespace anvil::bench
