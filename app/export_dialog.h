// SPDX-License-Identifier: GPL-3.0-or-later
// Where and how parts are written to a file.
#pragma once

#include <QStringList>
#include <QWidget>
#include <optional>

#include "core/io/mesh_file.h"

namespace anvil::app {

struct Export {
  QString path;
  WriteSettings settings;
};
struct ExportRequest {
  QString folder, suggestion;  ///< of the file
  QString ending;              ///< with its point
  QString filter;
  QStringList parts;  ///< names of what is written
};

/// Asks for the file, whose name gets the ending where it has none, for the faces of formats with polygons, and for what becomes of touching places in an STL; remembers
/// the last two. Nothing when the user calls it off.
std::optional<Export> ask_export(QWidget* window, const ExportRequest& request);

}  // namespace anvil::app
