// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/cards/field_rows.h"

#include <QApplication>
#include <QComboBox>
#include <QHBoxLayout>
#include <QLineEdit>
#include <QPlainTextEdit>
#include <QTimer>

#include "app/widgets.h"
#include "core/mesh/edge_rule.h"

namespace anvil::app {

FieldRows::FieldRows(std::span<const Field> fields, const QString& name, std::function<void(std::size_t, const FieldValue&)> set,
                     QWidget* parent)
    : QWidget(parent), set_(std::move(set)), shown_(initial_values(fields)), show_(fields.size()) {
  grid_ = new QGridLayout(this);
  grid_->setContentsMargins(0, 0, 0, 0);
  grid_->setVerticalSpacing(3);
  grid_->setHorizontalSpacing(6);
  grid_->setColumnStretch(1, 1);
  for (const bool folded : {false, true})
    for (std::size_t k = 0; k < fields.size(); ++k)
      if (fields[k].folded == folded) add_row(k, fields[k], name + QString::fromStdString(fields[k].key));
  if (folded_.empty()) return;
  auto* more = link_button(tr("settings ▾"));
  more->setObjectName(name + QStringLiteral("more"));
  more->setCheckable(true);
  more->setAccessibleName(tr("More settings of this step"));
  connect(more, &QToolButton::toggled, this, [this, more](bool open) {
    more->setText(open ? tr("settings ▴") : tr("settings ▾"));
    for (QWidget* widget : folded_) widget->setVisible(open);
  });
  grid_->addWidget(more, grid_->rowCount(), 0, 1, 2, Qt::AlignLeft);
}

void FieldRows::add_row(std::size_t place, const Field& field, const QString& name) {
  QWidget* editor = nullptr;
  switch (field.kind) {
    case FieldKind::choice: editor = choice(place, field, name); break;
    case FieldKind::toggle: editor = toggle(place, field, name); break;
    case FieldKind::point:
    case FieldKind::direction:
    case FieldKind::axis:
    case FieldKind::counts:
    case FieldKind::offset: editor = vector(place, field, name); break;
    case FieldKind::edges: editor = edges(place, field, name); break;
    case FieldKind::text: editor = field.suggestions != nullptr ? suggested(place, field, name) : text(place, field, name); break;
    case FieldKind::outline:
    case FieldKind::path: editor = line(place, field, name); break;
    case FieldKind::elements: editor = elements(place, field, name); break;
    default: editor = number(place, field, name);
  }
  auto* label = new QLabel(QString::fromStdString(field.label));
  label->setToolTip(QString::fromStdString(field.help));
  const int row = grid_->rowCount();
  grid_->addWidget(label, row, 0);
  grid_->addWidget(editor, row, 1);
  if (!field.folded) return;
  folded_.insert(folded_.end(), {label, editor});
  label->hide();
  editor->hide();
}

QWidget* FieldRows::number(std::size_t place, const Field& field, const QString& name) {
  auto* editor = new NumberField(field, QString::fromStdString(field.label));
  editor->setObjectName(name);
  connect(editor, &NumberField::entered, this, [this, place](double value) { set_(place, value); });
  connect(editor, &NumberField::refused, this, &FieldRows::refused);
  show_[place] = [editor](const FieldValue& value) { editor->show_value(std::get<double>(value)); };
  return field.graded ? graded(place, field, name, editor) : editor;
}

QString FieldRows::foretold(std::size_t place, double then) const {
  return foretell_ && then > 0 ? foretell_(std::get<double>(shown_[place]), then) : QString();
}

/// With the ways to the next ones below, and what the one that is being typed will come to.
QWidget* FieldRows::graded(std::size_t place, const Field& field, const QString& name, NumberField* editor) {
  auto* both = new QWidget;
  auto* layout = new QGridLayout(both);
  layout->setContentsMargins(0, 0, 0, 0);
  layout->setVerticalSpacing(1);
  layout->setHorizontalSpacing(10);
  layout->addWidget(editor, 0, 0, 1, 3);
  int column = 0;
  for (const auto& [text, key, up] : {std::tuple(tr("coarser"), "_coarser", true), std::tuple(tr("finer"), "_finer", false)}) {
    QToolButton* button = link_button(text);
    button->setObjectName(name + QLatin1String(key));
    button->setAccessibleName(QStringLiteral("%1: %2").arg(QString::fromStdString(field.label), text));
    show_[place] = [this, place, button, up = up, before = std::move(show_[place])](const FieldValue& value) {
      before(value);
      const QString says = tr("The next round length %1").arg(up ? tr("above") : tr("below")), told = foretold(place, next_grade(std::get<double>(value), up));
      button->setToolTip(told.isEmpty() ? says : says + QStringLiteral(":\n") + told);
    };
    connect(button, &QToolButton::clicked, this, [this, place, field, up = up] {
      const double next = next_grade(std::get<double>(shown_[place]), up);
      if (next >= field.min && next <= field.max) set_(place, next);
    });
    layout->addWidget(button, 1, column++);
  }
  layout->setColumnStretch(2, 1);
  auto* told = new QLabel;
  told->setObjectName(QStringLiteral("faint"));
  told->setAccessibleName(tr("What it will come to"));
  told->setWordWrap(true);
  told->hide();
  layout->addWidget(told, 2, 0, 1, 3);
  connect(editor, &QLineEdit::textEdited, this, [this, place, editor, told] {
    const Result<double> typed = editor->typed();
    told->setText(typed ? foretold(place, *typed) : QString());
    told->setVisible(!told->text().isEmpty());
  });
  connect(editor, &QLineEdit::editingFinished, told, &QWidget::hide);
  return both;
}

QWidget* FieldRows::vector(std::size_t place, const Field& field, const QString& name) {
  auto* three = new QWidget;
  auto* layout = new QHBoxLayout(three);
  layout->setContentsMargins(0, 0, 0, 0);
  layout->setSpacing(3);
  static constexpr const char* axes[3] = {"right", "back", "up"};
  std::array<NumberField*, 3> editors{};
  for (int k = 0; k < 3; ++k) {
    auto* editor = new NumberField(field, tr("%1, %2").arg(QString::fromStdString(field.label), QLatin1String(axes[k])));
    editor->setObjectName(QStringLiteral("%1_%2").arg(name).arg(k));
    connect(editor, &NumberField::entered, this, [this, place, k](double value) {
      Vec3 v = std::get<Vec3>(shown_[place]);
      v[k] = value;
      set_(place, v);
    });
    connect(editor, &NumberField::refused, this, &FieldRows::refused);
    layout->addWidget(editor);
    editors[static_cast<std::size_t>(k)] = editor;
  }
  show_[place] = [editors](const FieldValue& value) {
    for (std::size_t k = 0; k < 3; ++k) editors[k]->show_value(std::get<Vec3>(value)[static_cast<Eigen::Index>(k)]);
  };
  return three;
}

QWidget* FieldRows::choice(std::size_t place, const Field& field, const QString& name) {
  auto* box = new QComboBox;
  box->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
  box->setMinimumContentsLength(6);
  box->setObjectName(name);
  box->setAccessibleName(QString::fromStdString(field.label));
  box->setToolTip(QString::fromStdString(field.help));
  for (const FieldChoice& choice : field.choices) box->addItem(QString::fromStdString(choice.label), QString::fromStdString(choice.key));
  connect(box, &QComboBox::activated, this, [this, box, place](int index) { set_(place, box->itemData(index).toString().toStdString()); });
  show_[place] = [box](const FieldValue& value) { box->setCurrentIndex(box->findData(QString::fromStdString(std::get<std::string>(value)))); };
  return box;
}

QWidget* FieldRows::toggle(std::size_t place, const Field& field, const QString& name) {
  auto* button = new Switch(QString::fromStdString(field.label));
  button->setObjectName(name);
  button->setToolTip(QString::fromStdString(field.help));
  connect(button, &QAbstractButton::clicked, this, [this, place](bool on) { set_(place, on); });
  show_[place] = [button](const FieldValue& value) { button->setChecked(std::get<bool>(value)); };
  return button;
}

/// Elements are chosen in the view; here stands how many.
QWidget* FieldRows::elements(std::size_t place, const Field& field, const QString& name) {
  auto* words = new QLabel;
  words->setObjectName(name);
  words->setAccessibleName(QString::fromStdString(field.label));
  words->setToolTip(QString::fromStdString(field.help));
  show_[place] = [words, field](const FieldValue& value) { words->setText(QString::fromStdString(in_words(field, value))); };
  return words;
}

bool FieldRows::take_text(std::size_t place, const Field& field, const QString& text) {
  const FieldValue value = text.toStdString();
  if (value == shown_[place]) return true;
  if (auto issue = check_value(field, value)) {
    emit refused(*issue);
    return false;
  }
  set_(place, value);
  return true;
}

/// A rule by which edges are found; chosen ones are taken from the view by the editor below.
QWidget* FieldRows::edges(std::size_t place, const Field& field, const QString& name) {
  auto* both = new QWidget;
  auto* layout = new QHBoxLayout(both);
  layout->setContentsMargins(0, 0, 0, 0);
  layout->setSpacing(3);
  auto* box = new QComboBox;
  box->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
  box->setMinimumContentsLength(6);
  box->setObjectName(name);
  box->setAccessibleName(QString::fromStdString(field.label));
  box->setToolTip(QString::fromStdString(field.help));
  using By = EdgeRule::By;
  for (const auto& [by, words] : {std::pair(By::fresh, tr("fresh edges")), std::pair(By::sharp, tr("sharper than")), std::pair(By::all, tr("all")), std::pair(By::materials, tr("between materials")),
                                  std::pair(By::parts, tr("between parts")), std::pair(By::chosen, tr("chosen ones"))})
    box->addItem(words, static_cast<int>(by));
  auto* angle = new NumberField(share_field("angle", tr("Angle").toStdString(), 30, 0, 180, "By how many degrees the surface turns there at least."), tr("Angle"));
  angle->setObjectName(name + QStringLiteral("_angle"));
  angle->setMaximumWidth(56);
  layout->addWidget(box, 1);
  layout->addWidget(angle);
  connect(box, &QComboBox::activated, this, [this, box, place](int index) {
    EdgeRule rule;
    rule.by = static_cast<By>(box->itemData(index).toInt());
    if (const auto before = parse_edge_rule(std::get<std::string>(shown_[place])); before && before->by == rule.by) return;
    set_(place, to_text(rule));
  });
  connect(angle, &NumberField::entered, this, [this, place](double degrees) { set_(place, to_text(EdgeRule{By::sharp, degrees})); });
  connect(angle, &NumberField::refused, this, &FieldRows::refused);
  show_[place] = [box, angle](const FieldValue& value) {
    const auto rule = parse_edge_rule(std::get<std::string>(value));
    if (!rule) return;
    const int index = box->findData(static_cast<int>(rule->by));
    box->setItemText(box->findData(static_cast<int>(By::chosen)), rule->by == By::chosen ? QString::fromStdString(edge_rule_in_words(std::get<std::string>(value))) : tr("chosen ones"));
    box->setCurrentIndex(index);
    angle->setVisible(rule->by == By::sharp);
    angle->show_value(rule->degrees);
  };
  return both;
}

/// A text that programs read: shown whole, taken when it is left or ended by Return.
QWidget* FieldRows::line(std::size_t place, const Field& field, const QString& name) {
  auto* edit = new QLineEdit;
  edit->setObjectName(name);
  edit->setAccessibleName(QString::fromStdString(field.label));
  edit->setToolTip(tr("%1\n%2").arg(QString::fromStdString(field.help), QString::fromStdString(range_of(field))));
  connect(edit, &QLineEdit::editingFinished, this, [this, edit, place, field] {
    if (!edit->isModified()) return;
    edit->setModified(false);
    if (!take_text(place, field, edit->text())) edit->setText(QString::fromStdString(std::get<std::string>(shown_[place])));
  });
  show_[place] = [edit](const FieldValue& value) {
    if (edit->hasFocus() && edit->isModified()) return;
    const QString text = QString::fromStdString(std::get<std::string>(value));
    if (edit->text() == text) return;
    edit->setText(text);
    edit->setCursorPosition(0);
  };
  return edit;
}

/// Words for people, on several lines; taken a moment after the last key.
QWidget* FieldRows::text(std::size_t place, const Field& field, const QString& name) {
  auto* edit = new QPlainTextEdit;
  edit->setObjectName(name);
  edit->setAccessibleName(QString::fromStdString(field.label));
  edit->setToolTip(QString::fromStdString(field.help));
  edit->setTabChangesFocus(true);
  edit->setFixedHeight(3 * edit->fontMetrics().lineSpacing() + 10);
  auto* rest = new QTimer(edit);
  rest->setSingleShot(true);
  rest->setInterval(500);
  connect(edit, &QPlainTextEdit::textChanged, rest, [edit, rest] {
    if (edit->hasFocus()) rest->start();
  });
  const auto take = [this, edit, rest, place, field] {
    rest->stop();
    take_text(place, field, edit->toPlainText());
  };
  connect(rest, &QTimer::timeout, this, take);
  // Who leaves it does not wait for that. The focus also goes when all of this is taken down.
  connect(qApp, &QApplication::focusChanged, edit, [edit, rest, take, alive = std::weak_ptr<const bool>(alive_)](QWidget* left) {
    if (left == edit && !alive.expired() && rest->isActive()) take();
  });
  show_[place] = [edit, rest](const FieldValue& value) {
    const QString text = QString::fromStdString(std::get<std::string>(value));
    if (!rest->isActive() && edit->toPlainText() != text) edit->setPlainText(text);
  };
  return edit;
}

QWidget* FieldRows::suggested(std::size_t place, const Field& field, const QString& name) {
  auto* box = new QComboBox;
  box->setEditable(true);
  box->setInsertPolicy(QComboBox::NoInsert);
  box->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
  box->setMinimumContentsLength(6);
  box->setObjectName(name);
  box->setAccessibleName(QString::fromStdString(field.label));
  box->setToolTip(QString::fromStdString(field.help));
  for (const std::string& one : field.suggestions()) box->addItem(QString::fromStdString(one));
  const auto take = [this, box, place, field] { take_text(place, field, box->currentText()); };
  connect(box, &QComboBox::activated, this, take);
  connect(box->lineEdit(), &QLineEdit::editingFinished, this, take);
  show_[place] = [box](const FieldValue& value) {
    if (!box->lineEdit()->isModified() || !box->hasFocus()) box->setCurrentText(QString::fromStdString(std::get<std::string>(value)));
  };
  return box;
}

void FieldRows::show_values(const FieldValues& values) {
  shown_ = values;
  for (std::size_t k = 0; k < show_.size(); ++k)
    if (show_[k]) show_[k](values[k]);
}

}  // namespace anvil::app
