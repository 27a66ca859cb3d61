// SPDX-License-Identifier: GPL-3.0-or-later
// Small building blocks of the panels: cards, switches, number fields.
#pragma once

#include <QAbstractButton>
#include <QFrame>
#include <QLabel>
#include <QLineEdit>
#include <QToolButton>
#include <QVBoxLayout>

#include "core/fields.h"

namespace anvil::app {

/// An on/off switch; filled when on.
class Switch : public QAbstractButton {
  Q_OBJECT

 public:
  explicit Switch(const QString& accessible_name, QWidget* parent = nullptr);
  QSize sizeHint() const override { return {26, 16}; }

 protected:
  void paintEvent(QPaintEvent* event) override;
};

/// A number or a sum of numbers with its unit: "12+0.4", "1in". What is typed is reported when it is finished, not while
/// typing; what is no number or out of range is refused with the range named, and the old value comes back.
class NumberField : public QLineEdit {
  Q_OBJECT

 public:
  /// @param field  says what it is called, its unit and its range
  explicit NumberField(const Field& field, const QString& accessible_name, QWidget* parent = nullptr);
  double value() const { return value_; }
  /// What stands here, as far as it is typed.
  Result<double> typed() const;
  /// As narrow as the panel needs it; it grows with what there is.
  QSize sizeHint() const override { return {56, QLineEdit::sizeHint().height()}; }
  QSize minimumSizeHint() const override { return {34, QLineEdit::minimumSizeHint().height()}; }
  /// Shows a value without reporting it; left alone while the user is typing here.
  void show_value(double value);

 signals:
  void entered(double value);
  void refused(const anvil::Issue& issue);

 protected:
  bool event(QEvent* event) override;
  void keyPressEvent(QKeyEvent* event) override;

 private:
  void finish();
  void take(double value);
  QString text_of(double value) const;

  Field field_;
  double value_ = 0;
};

/// QWidget::setStyleSheet(), which by itself polishes all again even where nothing changes.
void set_style(QWidget& widget, const QString& sheet);

/// A frame with a header line (title, summary) that opens its body in place.
class Card : public QFrame {
  Q_OBJECT

 public:
  Card(const QString& title, const QString& summary, bool open, QWidget* parent = nullptr);
  QVBoxLayout* body() const { return body_layout_; }
  QHBoxLayout* header() const { return header_layout_; }
  void set_summary(const QString& text);
  void set_title(const QString& text);
  /// What a card that can be dragged is grabbed by.
  QAbstractButton* drag_handle() const { return title_; }
  bool is_open() const { return title_->isChecked(); }
  void set_open(bool open) { title_->setChecked(open); }
  /// Shown as not counting now.
  void set_faded(bool faded);

 signals:
  void opened(bool open);

 private:
  QToolButton* title_;
  QLabel* summary_;
  QHBoxLayout* header_layout_;
  QWidget* body_;
  QVBoxLayout* body_layout_;
};

QLabel* section_label(const QString& text, QWidget* parent = nullptr);
QToolButton* link_button(const QString& text, QWidget* parent = nullptr);
/// Removes and deletes everything in a layout, at the next turn of the event loop.
void clear_layout(QLayout* layout);

}  // namespace anvil::app
