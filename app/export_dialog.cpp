// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/export_dialog.h"

#include <QComboBox>
#include <QFileInfo>
#include <QGridLayout>
#include <QLabel>
#include <QSettings>

#include "app/save_dialog.h"
#include "app/widgets.h"
#include "core/boolean/open_touching.h"

namespace anvil::app {
namespace {

/// A row of the file dialog's own grid.
QComboBox* add_choice(QGridLayout& grid, const char* name, const QString& label, const std::vector<std::pair<const char*, QString>>& choices, QWidget* beside = nullptr) {
  const int row = grid.rowCount();
  auto* box = new QComboBox;
  box->setObjectName(QLatin1String(name));
  box->setAccessibleName(label);
  for (const auto& [key, text] : choices) box->addItem(text, QLatin1String(key));
  box->setCurrentIndex(std::max(0, box->findData(QSettings().value(QStringLiteral("export/") + QLatin1String(name)))));
  auto* caption = new QLabel(label);
  caption->setBuddy(box);
  grid.addWidget(caption, row, 0);
  grid.addWidget(box, row, 1);
  if (beside != nullptr) grid.addWidget(beside, row, 2);
  return box;
}

}  // namespace

std::optional<Export> ask_export(QWidget* window, const ExportRequest& request) {
  const QString& ending = request.ending;
  SaveDialog dialog(window, QObject::tr("Export"), request.folder, request.suggestion + ending, request.filter,
                    [ending](const QString& name) { return QFileInfo(name).suffix().isEmpty() ? name + ending : name; });
  auto* grid = qobject_cast<QGridLayout*>(dialog.layout());
  constexpr qsizetype told = 4;
  QString names = request.parts.mid(0, told).join(QStringLiteral(", "));
  if (request.parts.size() > told) names = QObject::tr("%1 and %2 more").arg(names).arg(request.parts.size() - told);
  auto* what = new QLabel(names);
  what->setObjectName(QStringLiteral("export_parts"));
  what->setWordWrap(true);
  const int row = grid->rowCount();
  grid->addWidget(new QLabel(QObject::tr("Writes:")), row, 0);
  grid->addWidget(what, row, 1);
  QComboBox* faces = add_choice(*grid, "faces", QObject::tr("Faces in OBJ, PLY, OFF:"),
                                {{"convex", QObject::tr("Convex ones, which every program reads alike")},
                                 {"triangles", QObject::tr("Triangles, the very ones that were checked")},
                                 {"polygons", QObject::tr("As they are; some programs may cut them otherwise")}});
  auto* width = new NumberField(length_field("opening", "opening", 0.01, "How far touching places are moved apart.", min_opening, 1), QObject::tr("Opening width"));
  width->setObjectName(QStringLiteral("opening"));
  width->show_value(QSettings().value(QStringLiteral("export/opening"), 0.01).toDouble());
  QComboBox* touching = add_choice(*grid, "touching", QObject::tr("Touching places in STL:"),
                                   {{"least", QObject::tr("Open them as little as works")},
                                    {"width", QObject::tr("Open them by this width")},
                                    {"leave", QObject::tr("Leave them; the file is not manifold there")}},
                                   width);
  auto show = [&] { width->setEnabled(touching->currentData() == QLatin1String("width")); };
  QObject::connect(touching, &QComboBox::currentIndexChanged, &dialog, show);
  show();
  const QString path = dialog.ask();
  if (path.isEmpty()) return std::nullopt;
  QSettings settings;
  settings.setValue(QStringLiteral("export/faces"), faces->currentData());
  settings.setValue(QStringLiteral("export/touching"), touching->currentData());
  settings.setValue(QStringLiteral("export/opening"), width->value());
  Export chosen{path, {}};
  chosen.settings.faces = *faces_named(faces->currentData().toString().toStdString());
  chosen.settings.open = touching->currentData() != QLatin1String("leave");
  if (touching->currentData() == QLatin1String("width")) chosen.settings.opening = width->value();
  return chosen;
}

}  // namespace anvil::app
