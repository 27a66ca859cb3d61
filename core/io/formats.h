// SPDX-License-Identifier: GPL-3.0-or-later
// One reader and one writer per format, on bytes in memory. Readers throw BadFile, writers with a Control Stopped.
#pragma once

#include <string>
#include <string_view>

#include "core/io/bytes.h"
#include "core/io/mesh_file.h"

namespace anvil {

/// STL, binary or text (StereoLithography Interface Specification, 1989). Several solids in one file
/// become one mesh; bit-equal corners are welded.
Import read_stl(std::string_view bytes);
/// Binary STL: 80-byte header, 32-bit count, 50 bytes a facet, normals by the right-hand rule.
/// A facet with distinct corners of which two round to one 32-bit point is left out: its edge is collapsed.
std::string write_stl(const Mesh& mesh);

/// OBJ: v and f with any number of corners, negative indices, texture and normal references skipped.
Import read_obj(std::string_view bytes);
std::string write_obj(const Mesh& mesh, const Control& control = {});

/// PLY (Turk 1994): text, binary little-endian and big-endian; any scalar types; other elements skipped. One without faces is a cloud, with normals where every point has one.
Import read_ply(std::string_view bytes);
/// Binary little-endian, double coordinates.
std::string write_ply(const Mesh& mesh);

/// OFF (Geomview), text, with the optional prefixes for colours, normals and texture coordinates skipped.
Import read_off(std::string_view bytes);
std::string write_off(const Mesh& mesh, const Control& control = {});

/// XYZ: a point in each line, its coordinates first; then its normal, where three numbers of length 1 follow in every line. Other numbers (colours) are skipped, and so is what follows a #.
Import read_xyz(std::string_view bytes);
std::string write_xyz(const Mesh& cloud, const Control& control = {});

/// 3MF Core Specification, by lib3mf; every build item of type model in its place, mirrored ones turned right, coordinates in millimetres. What
/// is left out (supports, colours, names) is noted; extensions that a reader must know and this one does not are refused.
Import read_3mf(const std::filesystem::path& path, std::uintmax_t file_size);
/// An object for each part, with its name and colour, in millimetres; polygons are cut into triangles. Not by lib3mf, which cuts coordinates
/// off after six decimals: what is sound here must be sound in the file.
Result<std::string> write_3mf(std::span<const PartInFile> parts, const std::string& title, const Control& control = {});

}  // namespace anvil
