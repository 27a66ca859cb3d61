// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/io/mesh_file.h"

#include <fmt/format.h>

#include <algorithm>
#include <cctype>
#include <cmath>
#include <new>

#include "core/boolean/settle.h"
#include "core/io/formats.h"

namespace anvil {

Result<MeshFormat> format_of(const std::filesystem::path& path) {
  std::string ending = path.extension().string();
  std::transform(ending.begin(), ending.end(), ending.begin(),
                 [](unsigned char c) { return static_cast<char>(std::tolower(c)); });
  if (ending == ".stl") return MeshFormat::stl;
  if (ending == ".obj") return MeshFormat::obj;
  if (ending == ".ply") return MeshFormat::ply;
  if (ending == ".off") return MeshFormat::off;
  if (ending == ".3mf") return MeshFormat::threemf;
  for (const char* points : {".xyz", ".asc", ".txt", ".pts", ".csv"})
    if (ending == points) return MeshFormat::xyz;
  return Issue{ending.empty() ? "the name has no ending that tells its format"
                              : fmt::format("\"{}\" is not a mesh format known here", ending),
               path.string(),
               {},
               "use .stl, .obj, .ply, .off or .3mf, or .xyz, .asc, .txt, .pts or .csv for points"};
}

void check_range(Mesh& mesh, std::vector<std::string>& notes) {
  double extent = 0;
  for (std::size_t v = 0; v < mesh.positions.size(); ++v) {
    const double largest = mesh.positions[v].cwiseAbs().maxCoeff();
    if (!(largest <= max_extent))
      throw BadFile{fmt::format("vertex {}: the coordinate {} is beyond {}", v + 1, largest, max_extent),
                    "correct it, or export in a larger unit"};
    extent = std::max(extent, largest);
  }
  if (extent > 0 && extent < min_extent)
    throw BadFile{fmt::format("all coordinates are smaller than {}", min_extent), "export in a smaller unit"};
  const double least = std::ldexp(extent, -200);
  std::size_t zeroed = 0;
  for (Vec3& p : mesh.positions)
    for (double& x : p)
      if (x != 0 && std::abs(x) < least) x = 0, ++zeroed;
  if (zeroed > 0) notes.push_back(fmt::format("{} coordinates that are nothing beside the others were taken as 0", zeroed));
}

Result<Import> read_mesh(const std::filesystem::path& path, bool points) {
  const Result<MeshFormat> format = format_of(path);
  if (format) return read_mesh_as(*format, path, points);
  // That a file is not there is said before that its ending is not known.
  const Result<FileBytes> bytes = FileBytes::read(path);
  return bytes ? format.issue() : bytes.issue();
}

Result<Import> read_mesh_as(MeshFormat format, const std::filesystem::path& path, bool points) {
  Result<FileBytes> bytes = FileBytes::read(path);
  if (!bytes) return bytes.issue();
  const std::string_view view = bytes->view();
  if (view.empty()) return Issue{"the file is empty", path.string(), {}, "export it again"};
  try {
    Import import;
    switch (format) {
      case MeshFormat::stl:
        import = read_stl(view);
        break;
      case MeshFormat::obj:
        import = read_obj(view);
        break;
      case MeshFormat::ply:
        import = read_ply(view);
        break;
      case MeshFormat::off:
        import = read_off(view);
        break;
      case MeshFormat::threemf:
        import = read_3mf(path, view.size());
        break;
      case MeshFormat::xyz:
        import = read_xyz(view);
        break;
    }
    check_range(import.mesh, import.notes);
    import.mesh.cloud = import.mesh.empty() && !import.mesh.positions.empty();
    if (import.mesh.empty() && !(points && import.mesh.cloud))
      return Issue{import.mesh.positions.empty()
                       ? std::string("no faces were found in it")
                       : fmt::format("it holds {} points and no faces", import.mesh.positions.size()),
                   path.string(),
                   {},
                   import.mesh.positions.empty() ? "choose a file with faces" : "recast the points first (apply recast), or choose a file with faces"};
    return import;
  } catch (const BadFile& bad) {
    return Issue{bad.what, path.string(), {}, bad.remedy};
  } catch (const std::bad_alloc&) {
    return Issue{"there is not enough memory to read it", path.string(), {}, "close other jobs or split it"};
  }
}

namespace {

/// The mesh in 32-bit coordinates; what settling did or could not do is noted.
Result<Mesh> as_floats(const Mesh& mesh, const FloatSettings& settings, std::vector<std::string>* notes, const Control& control) {
  OperationReport report;
  Mesh settled = settle_to_float(mesh, report, settings, control);
  for (const auto& done : report.done)
    if (notes != nullptr && done.note->place == Note::Place::rail) notes->push_back(in_words(done));
  if (settled.empty() && !mesh.empty()) return Issue{"all of it is thinner than this format's 32-bit coordinates can tell", "", {}, "write OBJ, PLY or OFF"};
  return settled;
}

}  // namespace

Issue points_only(const std::filesystem::path& path) { return {"this format holds points only, no faces", path.string(), {}, "use .stl, .obj, .ply, .off or .3mf"}; }

Result<std::string> mesh_bytes(const Mesh& mesh, MeshFormat format, std::vector<std::string>* notes, const WriteSettings& settings, const Control& control) {
  if (mesh.cloud) {
    if (format == MeshFormat::xyz) return write_xyz(mesh, control);
    if (format == MeshFormat::ply) return write_ply(mesh);
    return Issue{"a cloud of points has no faces, which this format needs", "", {}, "use .ply or .xyz, or recast it first"};
  }
  switch (format) {
    case MeshFormat::stl: {
      const Result<Mesh> floats = as_floats(mesh, {settings.open, settings.opening}, notes, control);
      if (!floats) return floats.issue();
      return write_stl(*floats);
    }
    case MeshFormat::obj: return write_obj(faces_for(mesh, settings.faces, control.stop), control);
    case MeshFormat::ply: return write_ply(faces_for(mesh, settings.faces, control.stop));
    case MeshFormat::off: return write_off(faces_for(mesh, settings.faces, control.stop), control);
    case MeshFormat::threemf: {
      std::vector<PartInFile> parts = settings.parts;
      if (parts.empty()) parts.push_back({settings.title, PartInFile().colour, mesh});
      for (PartInFile& part : parts) {
        Result<Mesh> floats = as_floats(part.mesh, {}, notes, control);
        if (!floats) return floats.issue();
        part.mesh = std::move(*floats);
      }
      return write_3mf(parts, settings.title, control);
    }
    case MeshFormat::xyz: break;
  }
  return points_only("");
}

Result<std::uintmax_t> write_mesh(const Mesh& mesh, const std::filesystem::path& path, std::vector<std::string>* notes, const WriteSettings& settings, const Control& control) {
  const Result<MeshFormat> format = format_of(path);
  if (!format) return format.issue();
  Result<std::string> bytes = mesh_bytes(mesh, *format, notes, settings, control);
  check_stop(control);
  if (bytes) return write_bytes(path, *bytes);
  bytes.issue().subject = path.string();
  return bytes.issue();
}

}  // namespace anvil
