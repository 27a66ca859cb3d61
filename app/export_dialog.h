// SPDX-License-Identifier: GPL-3.0-or-later
// Where and how parts are written to a file.
#pragma once

#include <QWidget>
#include <optional>

#include "core/io/mesh_file.h"

namespace anvil::app {

struct Export {
  QString path;
  WriteSettings settings;
};
/// Asks for the file, for the faces of formats with polygons, and for what becomes of touching places in an STL; remembers
/// the last two. Nothing when the user calls it off.
std::optional<Export> ask_export(QWidget* window, const QString& folder, const QString& suggestion, const QString& filter);

}  // namespace anvil::app
