// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/widgets.h"

#include <QKeyEvent>
#include <QLineEdit>
#include <QPainter>

#include "app/theme.h"

namespace anvil::app {

Switch::Switch(const QString& accessible_name, QWidget* parent) : QAbstractButton(parent) {
  setCheckable(true);
  setAccessibleName(accessible_name);
  setToolTip(accessible_name);
  setCursor(Qt::PointingHandCursor);
  setFixedSize(sizeHint());
}

void Switch::paintEvent(QPaintEvent*) {
  QPainter painter(this);
  painter.setRenderHint(QPainter::Antialiasing);
  const QRectF track(1, 3, width() - 2, height() - 6);
  painter.setPen(hasFocus() ? QPen(theme::selection, 1.5) : QPen(Qt::NoPen));
  painter.setBrush(isChecked() ? theme::ink : theme::line);
  painter.drawRoundedRect(track, track.height() / 2, track.height() / 2);
  painter.setPen(Qt::NoPen);
  painter.setBrush(theme::paper);
  const double r = track.height() / 2 - 2;
  painter.drawEllipse(QPointF(isChecked() ? track.right() - r - 2 : track.left() + r + 2, track.center().y()),
                      r, r);
}

NumberField::NumberField(const QString& accessible_name, double least, double most, bool whole,
                         const QString& unit, QWidget* parent)
    : QDoubleSpinBox(parent) {
  setAccessibleName(accessible_name);
  setToolTip(accessible_name);
  setLocale(QLocale::c());
  setButtonSymbols(QAbstractSpinBox::NoButtons);
  setKeyboardTracking(false);
  setDecimals(whole ? 0 : 6);
  setRange(least, most);
  setSingleStep(1);
  setMinimumWidth(56);
  if (!unit.isEmpty()) setSuffix(QStringLiteral(" ") + unit);
}

QString NumberField::textFromValue(double value) const {
  QString text = QString::number(value, 'f', decimals());
  if (text.contains(QLatin1Char('.'))) {
    while (text.endsWith(QLatin1Char('0'))) text.chop(1);
    if (text.endsWith(QLatin1Char('.'))) text.chop(1);
  }
  return text == QStringLiteral("-0") ? QStringLiteral("0") : text;
}

void NumberField::show_value(double shown) {
  if (hasFocus() && lineEdit()->isModified()) return;
  const QSignalBlocker quiet(this);
  if (value() != shown) setValue(shown);
}

void NumberField::keyPressEvent(QKeyEvent* event) {
  QDoubleSpinBox::keyPressEvent(event);
  if (event->key() == Qt::Key_Return || event->key() == Qt::Key_Enter) clearFocus();
}

Card::Card(const QString& title, const QString& summary, bool open, QWidget* parent) : QFrame(parent) {
  setObjectName(QStringLiteral("card"));
  auto* layout = new QVBoxLayout(this);
  layout->setContentsMargins(10, 6, 10, 6);
  layout->setSpacing(4);
  header_layout_ = new QHBoxLayout;
  title_ = new QToolButton;
  title_->setText(title);
  title_->setAccessibleName(title);
  title_->setCheckable(true);
  title_->setChecked(open);
  title_->setStyleSheet(
      QStringLiteral("QToolButton, QToolButton:checked { font-weight: 600; font-size: 13px; color: #22252B; "
                     "padding: 2px; }"));
  title_->setToolTip(tr("Open or close this card"));
  summary_ = new QLabel(summary);
  summary_->setObjectName(QStringLiteral("faint"));
  header_layout_->addWidget(title_);
  header_layout_->addStretch();
  header_layout_->addWidget(summary_);
  layout->addLayout(header_layout_);
  body_ = new QWidget;
  body_layout_ = new QVBoxLayout(body_);
  body_layout_->setContentsMargins(0, 0, 0, 2);
  body_layout_->setSpacing(3);
  body_->setVisible(open);
  layout->addWidget(body_);
  connect(title_, &QToolButton::toggled, this, [this](bool now_open) {
    body_->setVisible(now_open);
    emit opened(now_open);
  });
}

void Card::set_summary(const QString& text) {
  summary_->setText(text);
}

QLabel* section_label(const QString& text, QWidget* parent) {
  auto* label = new QLabel(text, parent);
  label->setObjectName(QStringLiteral("section"));
  return label;
}

QToolButton* link_button(const QString& text, QWidget* parent) {
  auto* button = new QToolButton(parent);
  button->setObjectName(QStringLiteral("link"));
  button->setText(text);
  button->setAccessibleName(text);
  button->setCursor(Qt::PointingHandCursor);
  return button;
}

void clear_layout(QLayout* layout) {
  while (QLayoutItem* item = layout->takeAt(0)) {
    if (QWidget* widget = item->widget()) {
      widget->hide();
      widget->deleteLater();
    }
    if (QLayout* inner = item->layout()) clear_layout(inner);
    delete item;
  }
}

}  // namespace anvil::app
