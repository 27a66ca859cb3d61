// SPDX-License-Identifier: GPL-3.0-or-later
// Reading and writing meshes as files: STL, OBJ, PLY, OFF and 3MF, told by the file's ending. Reading point clouds: XYZ, and any other without faces.
#pragma once

#include <filesystem>
#include <stop_token>
#include <string>

#include "core/control.h"
#include "core/io/faces.h"
#include "core/mesh/mesh.h"

namespace anvil {

enum class MeshFormat { stl, obj, ply, off, threemf, xyz };

/// The format for a path's ending (any case), or an Issue that lists the endings known.
Result<MeshFormat> format_of(const std::filesystem::path& path);

/// A mesh as it stood in a file, and what had to be left out or assumed, in words.
struct Import {
  Mesh mesh;
  std::vector<std::string> notes;
  bool has_unit = false;  ///< 3MF only: coordinates are in millimetres already
};

/// Coordinates that can be computed with: the largest of a mesh, unless all are zero, lies between these. Beyond that
/// exact arithmetic on doubles over- or underflows.
inline constexpr double min_extent = 1e-30, max_extent = 1e30;

/// Looks whether a mesh can be computed with. Coordinates that are nothing beside the largest (below 2^-200 of it) become
/// zero, with a note. Raises BadFile with the first vertex out of range.
void check_range(Mesh& mesh, std::vector<std::string>& notes);

/// Reads one file, whose format its ending tells. Hostile input is expected: every count is checked against the bytes that are there,
/// so memory stays within a small multiple of the file's size. Polygons stay polygons; the bit-equal
/// corners of an STL are welded. Fails with the file's name, the place in it and a remedy.
/// @param points  a file without faces is read as a point cloud, a mesh that has vertices alone; else it is refused
Result<Import> read_mesh(const std::filesystem::path& path, bool points = false);
/// The same of a file whose name does not tell.
Result<Import> read_mesh_as(MeshFormat format, const std::filesystem::path& path, bool points = false);

/// Why no mesh is written with this ending.
Issue points_only(const std::filesystem::path& path);

/// One of the parts of a file, for formats that tell them apart.
struct PartInFile {
  std::string name;
  std::uint32_t colour = 0x6F7F92;  ///< 0xRRGGBB
  Mesh mesh;
};

struct WriteSettings {
  FacesWritten faces = FacesWritten::convex;  ///< for OBJ, PLY and OFF
  bool open = true;    ///< STL: open the places where a solid touches itself, since it tells vertices by position
  double opening = 0;  ///< how wide, mesh units; 0: the least that works
  std::vector<PartInFile> parts = {};  ///< 3MF: what the mesh is put together of; empty: it is one part
  std::string title = {};              ///< 3MF
};

/// Writes one file: STL as binary single precision, PLY as binary little-endian doubles, OBJ and OFF with enough digits to
/// read back the same doubles, 3MF in millimetres. STL and 3MF are triangles in 32-bit coordinates; a sound mesh is settled
/// to them (core/boolean/settle.h), so that the file read back is sound. Polygons are written so that every reader gets a
/// sound mesh out of a sound one (core/io/faces.h), unless they are asked for as they are.
/// A cloud is written as PLY or XYZ, with its normals.
/// On failure what was there stays, and nothing else is left (core/io/replacement.h).
/// @param notes  receives, in words, what settling to 32 bits did or could not do
/// @return bytes written. Throws Stopped, as long as nothing is in place
Result<std::uintmax_t> write_mesh(const Mesh& mesh, const std::filesystem::path& path, std::vector<std::string>* notes = nullptr,
                                  const WriteSettings& settings = {}, const Control& control = {});
/// What write_mesh() writes, in memory. An Issue has no subject. Throws Stopped.
Result<std::string> mesh_bytes(const Mesh& mesh, MeshFormat format, std::vector<std::string>* notes = nullptr, const WriteSettings& settings = {}, const Control& control = {});

}  // namespace anvil
