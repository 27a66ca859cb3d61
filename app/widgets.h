// SPDX-License-Identifier: GPL-3.0-or-later
// Small building blocks of the panels: cards, switches, number fields.
#pragma once

#include <QAbstractButton>
#include <QDoubleSpinBox>
#include <QFrame>
#include <QLabel>
#include <QToolButton>
#include <QVBoxLayout>

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

/// A number with its unit; changes are reported when finished, not while typing.
class NumberField : public QDoubleSpinBox {
  Q_OBJECT

 public:
  NumberField(const QString& accessible_name, double least, double most, bool whole, const QString& unit,
              QWidget* parent = nullptr);
  QString textFromValue(double value) const override;
  /// Shows a value without reporting it; left alone while the user is typing here.
  void show_value(double value);

 protected:
  /// Return ends the editing, so that the keys of the window work again.
  void keyPressEvent(QKeyEvent* event) override;
};

/// A frame with a header line (title, summary) that opens its body in place.
class Card : public QFrame {
  Q_OBJECT

 public:
  Card(const QString& title, const QString& summary, bool open, QWidget* parent = nullptr);
  QVBoxLayout* body() const { return body_layout_; }
  QHBoxLayout* header() const { return header_layout_; }
  void set_summary(const QString& text);

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
