// SPDX-License-Identifier: GPL-3.0-or-later
// Mends mesh files and writes a table of what came out, as Markdown: mend_table NAME=FILE...
#include <fmt/format.h>

#include <algorithm>
#include <iostream>

#include "core/io/mesh_file.h"
#include "core/mend/mend.h"
#include "core/mesh/deviation.h"

namespace {

using namespace anvil;

/// Faces that all lie in one plane, or none at all, enclose nothing.
bool is_flat_or_empty(const Mesh& mesh) {
  if (mesh.empty()) return true;
  const double thickness = bounds(mesh).size().minCoeff();
  return thickness <= 1e-9 * bounds(mesh).diagonal();
}

std::string escaped(std::string text) {
  std::replace(text.begin(), text.end(), '|', '/');
  return text;
}

void row(const std::string& name, const std::string& path) {
  const auto read = read_mesh(path);
  if (!read) {
    std::cout << fmt::format("| {} | | cannot be read: {} | | | |\n", name, escaped(read.issue().what));
    return;
  }
  const Mesh& mesh = read->mesh;
  if (is_flat_or_empty(mesh)) {
    std::cout << fmt::format("| {} | {} | encloses nothing: {} | | | |\n", name, mesh.face_count(), mesh.empty() ? "no faces" : "all in one plane");
    return;
  }
  std::vector<const Mender*> ticked;
  for (const Mender* mender : mender_table())
    if (mender->ticked) ticked.push_back(mender);
  MendSettings settings;
  settings.menders = ticked;
  const Mended mended = mend(mesh, settings);
  std::string deeds;
  for (const Deed& deed : mended.deeds) deeds += (deeds.empty() ? "" : "; ") + in_words(deed);
  const Deviation off = mended.mesh.empty() ? Deviation{} : deviation_between(mesh, mended.mesh, {});
  std::string after = mended.mesh.empty() ? "nothing left: no face encloses a volume" : verdict(mended.after);
  for (const std::string& why : mended.left) after += "; " + why;
  std::cout << fmt::format("| {} | {} | {} | {} | {} | {:.3g} |\n", name, mesh.face_count(), escaped(verdict(mended.before)), deeds.empty() ? "nothing" : escaped(deeds), escaped(after),
                           std::max(off.from_new.max, off.from_old.max));
}

}  // namespace

int main(int argc, char** argv) {
  std::cout << "| file | faces | found | mended | then | largest deviation |\n|---|---|---|---|---|---|\n";
  for (int k = 1; k < argc; ++k) {
    const std::string argument = argv[k];
    const std::size_t equals = argument.find('=');
    if (equals == std::string::npos) {
      std::cerr << argument << ": write NAME=FILE\n";
      return 2;
    }
    row(argument.substr(0, equals), argument.substr(equals + 1));
    std::cout.flush();
  }
  return 0;
}
