// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/export_dialog.h"

#include <QComboBox>
#include <QFileDialog>
#include <QGridLayout>
#include <QLabel>
#include <QSettings>

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

std::optional<Export> ask_export(QWidget* window, const QString& folder, const QString& suggestion, const QString& filter) {
  QFileDialog dialog(window, QObject::tr("Export"), folder, filter);
  dialog.setOption(QFileDialog::DontUseNativeDialog);
  dialog.setAcceptMode(QFileDialog::AcceptSave);
  dialog.selectFile(suggestion);
  auto* grid = qobject_cast<QGridLayout*>(dialog.layout());
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
  if (dialog.exec() != QDialog::Accepted || dialog.selectedFiles().isEmpty()) return std::nullopt;
  QSettings settings;
  settings.setValue(QStringLiteral("export/faces"), faces->currentData());
  settings.setValue(QStringLiteral("export/touching"), touching->currentData());
  settings.setValue(QStringLiteral("export/opening"), width->value());
  Export chosen{dialog.selectedFiles().first(), {}};
  chosen.settings.faces = *faces_named(faces->currentData().toString().toStdString());
  chosen.settings.open = touching->currentData() != QLatin1String("leave");
  if (touching->currentData() == QLatin1String("width")) chosen.settings.opening = width->value();
  return chosen;
}

}  // namespace anvil::app
