// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/widgets.h"

#include <QGraphicsOpacityEffect>
#include <QKeyEvent>
#include <QPainter>

#include "app/theme.h"

namespace anvil::app {

void set_style(QWidget& widget, const QString& sheet) {
  if (widget.styleSheet() != sheet) widget.setStyleSheet(sheet);
}

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

NumberField::NumberField(const Field& field, const QString& accessible_name, QWidget* parent) : QLineEdit(parent), field_(field) {
  setAccessibleName(accessible_name);
  setToolTip(tr("%1\n%2: %3").arg(QString::fromStdString(field.help.empty() ? field.label : field.help), accessible_name,
                                 QString::fromStdString(range_of(field))));
  setAlignment(Qt::AlignLeft);
  connect(this, &QLineEdit::editingFinished, this, &NumberField::finish);
}

QString NumberField::text_of(double value) const {
  if (field_.automatic && value == automatic_length) return QString::fromStdString(to_text(field_, value));
  QString text = QString::number(value, 'f', field_.kind == FieldKind::count || field_.kind == FieldKind::counts ? 0 : 6);
  if (text.contains(QLatin1Char('.'))) {
    while (text.endsWith(QLatin1Char('0'))) text.chop(1);
    if (text.endsWith(QLatin1Char('.'))) text.chop(1);
  }
  if (text == QStringLiteral("-0")) text = QStringLiteral("0");
  if (text == QStringLiteral("0") && value != 0) text = QString::number(value, 'g', 3);  // tiny, but not nothing
  const char* unit = unit_of(field_.kind);
  if (field_.kind == FieldKind::length) text += QLatin1Char(' ');
  return std::holds_alternative<Vec3>(field_.initial) ? text : text + QString::fromUtf8(unit);
}

void NumberField::show_value(double shown) {
  if (hasFocus() && isModified()) return;
  value_ = shown;
  if (const QString wanted = text_of(shown); text() != wanted) setText(wanted);
}

void NumberField::take(double number) {
  if (number == value_) return show_value(value_);
  FieldValue value = number;
  Field one = field_;
  if (std::holds_alternative<Vec3>(one.initial)) one.kind = one.kind == FieldKind::counts ? FieldKind::count : FieldKind::share;
  if (const auto issue = check_value(one, value)) {
    setText(text_of(value_));
    emit refused(*issue);
    return;
  }
  value_ = number;
  setText(text_of(number));
  emit entered(number);
}

Result<double> NumberField::typed() const {
  QString typed = text().trimmed();
  if (const QString degree = QStringLiteral("°"); typed.endsWith(degree)) typed.chop(1);
  const bool length = field_.kind == FieldKind::length || field_.kind == FieldKind::point || field_.kind == FieldKind::offset;
  return parse_typed_sum(typed.toStdString(), length);
}

void NumberField::finish() {
  if (!isModified()) return;
  setModified(false);
  if (field_.automatic && (text().trimmed().isEmpty() || text().trimmed() == text_of(automatic_length))) return take(automatic_length);
  const Result<double> number = typed();
  const bool is_length = number && !(field_.automatic && *number == automatic_length);
  if (is_length) return take(*number);
  Issue issue = number ? parse_value(field_, to_text(*number)).issue() : number.issue();
  issue.subject = field_.label;
  setText(text_of(value_));
  emit refused(issue);
}

bool NumberField::event(QEvent* event) {
  // Escape takes back what was typed here before it means anything to the window.
  if (event->type() == QEvent::ShortcutOverride && static_cast<QKeyEvent*>(event)->key() == Qt::Key_Escape && isModified()) {
    event->accept();
    return true;
  }
  return QLineEdit::event(event);
}

/// Return ends the editing, so that the keys of the window work again; the arrows count up and down.
void NumberField::keyPressEvent(QKeyEvent* event) {
  if (event->key() == Qt::Key_Up || event->key() == Qt::Key_Down) {
    finish();
    if (field_.automatic && (value_ == automatic_length || value_ == 0)) return;
    return take(value_ + (event->key() == Qt::Key_Up ? 1 : -1));
  }
  if (event->key() == Qt::Key_Escape) {
    setText(text_of(value_));
    return clearFocus();
  }
  QLineEdit::keyPressEvent(event);
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

void Card::set_faded(bool faded) {
  if (faded == (graphicsEffect() != nullptr)) return;
  QGraphicsOpacityEffect* effect = nullptr;
  if (faded) {
    effect = new QGraphicsOpacityEffect(this);
    effect->setOpacity(0.4);
  }
  setGraphicsEffect(effect);
}

void Card::set_summary(const QString& text) { summary_->setText(text); }

void Card::set_title(const QString& text) {
  title_->setText(text);
  title_->setAccessibleName(text);
}

QLabel* section_label(const QString& text, QWidget* parent) {
  auto* label = new QLabel(text, parent);
  label->setObjectName(QStringLiteral("section"));
  return label;
}

QToolButton* link_button(const QString& text, QWidget* parent) {
  auto* button = new QToolButton(parent);
  button->setObjectName(QStringLiteral("link"));
  button->setProperty("link", true);  // also where it gets another name
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
