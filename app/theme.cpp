// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/theme.h"

#include <QApplication>
#include <QFile>
#include <QFontDatabase>
#include <QPainter>
#include <QPixmapCache>
#include <QPalette>
#include <QProxyStyle>
#include <QSvgRenderer>

/// The resources sit in a static library, from which the linker would leave them out.
static void load_resources() {
  Q_INIT_RESOURCE(resources);
}

namespace anvil::app::theme {
namespace {

constexpr const char* style_sheet = R"(
* { font-family: "Inter"; font-size: 12px; color: #22252B; }
QMainWindow, QDialog { background: #F3F0EA; }
QDialog { border: 1px solid #B3AC9F; }
QWidget#top_bar { background: #F3F0EA; border-bottom: 1px solid #D8D2C6; }
QWidget#verb_row { background: #FBFAF7; border-bottom: 1px solid #D8D2C6; }
QWidget#left_column { border-right: 1px solid #D8D2C6; background: #F3F0EA; }
QWidget#right_column { border-left: 1px solid #D8D2C6; background: #F3F0EA; }
QWidget#bottom_line { background: #22252B; }
QWidget#bottom_line QLabel { color: #F3F0EA; }
QWidget#bottom_line QPushButton { color: #22252B; background: #F3F0EA; border-radius: 4px; padding: 2px 12px; }
QScrollArea, QScrollArea > QWidget > QWidget { background: transparent; border: none; }
QLabel#section { color: #6B665D; font-size: 11px; font-weight: 600; letter-spacing: 0.5px; }
QLabel#faint, QLabel#value { color: #6B665D; }
QLabel#job_title { font-size: 13px; font-weight: 600; }
QLabel#verdict { font-size: 17px; font-weight: 600; }
QFrame#card { background: #FBFAF7; border: 1px solid #D8D2C6; border-radius: 6px; }
QFrame#notice { background: #F7EAD3; border-radius: 6px; }
QFrame#trouble { background: #F6E0DE; border-radius: 6px; }
QFrame#plan, QFrame#find { background: #E9E4DA; border-radius: 6px; }
QFrame#notes { background: #F5E8D2; border-radius: 6px; }
QFrame#pill { background: rgba(251, 250, 247, 235); border: 1px solid #D8D2C6; border-radius: 13px; }
QFrame#pill QToolButton { padding: 3px 7px; border-radius: 10px; }
QToolButton { background: transparent; border: none; border-radius: 4px; padding: 3px 6px; }
QToolButton:hover { background: #E8E2D7; }
QToolButton:checked { color: #A1267E; font-weight: 600; }
QToolButton:disabled { color: #B3AC9F; }
QToolButton:focus, QPushButton:focus { outline: none; border: 1px solid #A1267E; }
QToolButton::menu-indicator { image: none; }
QToolButton#station { font-size: 13px; padding: 6px 14px; border-radius: 14px; color: #55514A; }
QToolButton#station:checked { background: #22252B; color: #FFFFFF; }
QToolButton#verb { padding: 6px 9px; font-size: 12px; }
QWidget#hand_row { background: #F6F3ED; border-bottom: 1px solid #D8D2C6; }
QToolButton#hand { padding: 4px 7px; font-size: 12px; }
QToolButton#hand::menu-indicator { image: none; width: 0; }
QToolButton#link, QToolButton[link="true"] { color: #A1267E; font-weight: 600; padding: 2px 4px; }
QToolButton#row { text-align: left; }
QPushButton { background: #FBFAF7; border: 1px solid #C9C2B4; border-radius: 5px; padding: 5px 14px; }
QPushButton:hover { background: #F3F0EA; border-color: #A1267E; }
QPushButton:default { background: #22252B; color: #FFFFFF; border-color: #22252B; }
QPushButton:disabled { color: #B3AC9F; border-color: #D8D2C6; }
QLineEdit, QDoubleSpinBox, QComboBox { background: #FFFFFF; border: 1px solid #C9C2B4; border-radius: 4px; padding: 3px 5px;
  selection-background-color: #A1267E; selection-color: #FFFFFF; }
QLineEdit:focus, QDoubleSpinBox:focus, QComboBox:focus { border-color: #A1267E; }
QComboBox::drop-down { border: none; width: 18px; }
QComboBox::down-arrow { image: url(:/icons/down.svg); width: 14px; height: 14px; }
QListWidget, QListView { background: transparent; border: none; outline: none; }
QListWidget::item { border-radius: 4px; }
QListWidget::item:selected { background: #EAD9E3; color: #22252B; }
QMenu { background: #FBFAF7; border: 1px solid #D8D2C6; padding: 4px; }
QMenu::item { padding: 5px 22px 5px 10px; border-radius: 4px; }
QMenu::item:selected { background: #EAD9E3; }
QMenu::item:disabled { color: #B3AC9F; }
QMenu::separator { height: 1px; background: #D8D2C6; margin: 4px 6px; }
QToolTip { background: #22252B; color: #FFFFFF; border: none; padding: 4px 6px; }
QScrollBar:vertical { background: transparent; width: 8px; margin: 0; }
QScrollBar::handle:vertical { background: #C9C2B4; border-radius: 4px; min-height: 24px; }
QScrollBar::add-line, QScrollBar::sub-line { height: 0; width: 0; }
QScrollBar::add-page, QScrollBar::sub-page { background: transparent; }
QSplitter::handle { background: #D8D2C6; }
)";

}  // namespace

QColor operation_tint(Operation operation) {
  switch (operation) {
    case Operation::unite:
      return {0x1E, 0x8C, 0x93};
    case Operation::difference:
      return {0xC7, 0x7B, 0x12};
    case Operation::intersection:
      return {0x4C, 0x5B, 0xD4};
    default:
      break;
  }
  return other;
}

QString operation_label(Operation operation) {
  switch (operation) {
    case Operation::trim_inside:
      return QObject::tr("open trim, inside");
    case Operation::trim_outside:
      return QObject::tr("open trim, outside");
    default:
      return QString::fromLatin1(key_of(operation));
  }
}

QString operation_sign(Operation operation) {
  switch (operation) {
    case Operation::unite:
      return QStringLiteral("+");
    case Operation::difference:
      return QStringLiteral("−");
    case Operation::intersection:
      return QStringLiteral("∩");
    default:
      return QStringLiteral("· ") + operation_label(operation);
  }
}

const char* operation_glyph(Operation operation) {
  switch (operation) {
    case Operation::unite:
      return "union";
    case Operation::difference:
      return "difference";
    case Operation::intersection:
      return "intersection";
    case Operation::split:
      return "split";
    case Operation::partition:
      return "partition";
    case Operation::inlay:
      return "inlay";
    case Operation::score:
      return "score";
    case Operation::trim_inside:
      return "trim_inside";
    case Operation::trim_outside:
      return "trim_outside";
    case Operation::gather:
      return "gather";
  }
  return "part";
}

namespace {

/// Buttons of dialogs say what they do in words; the stock icons are not ours.
class PlainButtons : public QProxyStyle {
 public:
  PlainButtons() : QProxyStyle(QStringLiteral("Fusion")) {}
  int styleHint(StyleHint hint, const QStyleOption* option, const QWidget* widget, QStyleHintReturn* data) const override {
    return hint == SH_DialogButtonBox_ButtonsHaveIcons ? 0 : QProxyStyle::styleHint(hint, option, widget, data);
  }
};

}  // namespace

void apply(QApplication& application) {
  load_resources();
  for (const char* weight : {"Regular", "Medium", "SemiBold"})
    QFontDatabase::addApplicationFont(QStringLiteral(":/fonts/Inter-%1.otf").arg(QLatin1String(weight)));
  application.setStyle(new PlainButtons);
  QPalette palette;
  palette.setColor(QPalette::Window, panel);
  palette.setColor(QPalette::Base, paper);
  palette.setColor(QPalette::WindowText, ink);
  palette.setColor(QPalette::Text, ink);
  palette.setColor(QPalette::ButtonText, ink);
  palette.setColor(QPalette::Highlight, selection);
  palette.setColor(QPalette::HighlightedText, Qt::white);
  palette.setColor(QPalette::PlaceholderText, faint_ink);
  application.setPalette(palette);
  QFont font(QStringLiteral("Inter"));
  font.setPixelSize(12);
  application.setFont(font);
  application.setStyleSheet(QString::fromUtf8(style_sheet));
}

QPixmap pixmap(const QString& name, const QColor& colour, int size, double device_ratio) {
  const QString key = QStringLiteral("icon %1 %2 %3 %4").arg(name, colour.name(QColor::HexArgb)).arg(size).arg(device_ratio);
  QPixmap result;
  if (QPixmapCache::find(key, &result)) return result;
  QFile file(QStringLiteral(":/icons/%1.svg").arg(name));
  if (!file.open(QIODevice::ReadOnly)) qFatal("no icon named %s", qPrintable(name));
  QByteArray svg = file.readAll();
  svg.replace("currentColor", colour.name().toLatin1());
  QSvgRenderer renderer(svg);
  result = QPixmap(qRound(size * device_ratio), qRound(size * device_ratio));
  result.setDevicePixelRatio(device_ratio);
  result.fill(Qt::transparent);
  QPainter painter(&result);
  renderer.render(&painter, QRectF(0, 0, size, size));
  painter.end();
  QPixmapCache::insert(key, result);
  return result;
}

QIcon icon(const QString& name, const QColor& colour) {
  QIcon result;
  for (const double ratio : {1.0, 2.0}) {
    result.addPixmap(pixmap(name, colour, 18, ratio), QIcon::Normal);
    result.addPixmap(pixmap(name, QColor(0xB3, 0xAC, 0x9F), 18, ratio), QIcon::Disabled);
  }
  return result;
}

}  // namespace anvil::app::theme
