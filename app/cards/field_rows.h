// SPDX-License-Identifier: GPL-3.0-or-later
// Rows for fields, made from nothing but their descriptions.
#pragma once

#include <QGridLayout>
#include <QWidget>
#include <functional>

#include "app/session.h"
#include "core/fields.h"

namespace anvil::app {

class NumberField;

class FieldRows : public QWidget {
  Q_OBJECT

 public:
  /// @param name  object names of the widgets: name + key, and for the three numbers of a vector _0, _1, _2 behind it
  /// @param set   puts one value into the job; whatever it refuses, it says itself
  FieldRows(std::span<const Field> fields, const QString& name, std::function<void(std::size_t, const FieldValue&)> set,
            QWidget* parent = nullptr);
  void show_values(const FieldValues& values);
  /// What something comes to with another length than that of now, in words; "" where that is not known. Asked of graded lengths, for one that is being typed and for the next ones.
  using Foretell = std::function<QString(double now, double then)>;
  void set_foretell(Foretell foretell) { foretell_ = std::move(foretell); }

 signals:
  void refused(const anvil::Issue& issue);

 private:
  void add_row(std::size_t place, const Field& field, const QString& name);
  QWidget* number(std::size_t place, const Field& field, const QString& name);
  QWidget* graded(std::size_t place, const Field& field, const QString& name, NumberField* editor);
  QString foretold(std::size_t place, double then) const;
  QWidget* vector(std::size_t place, const Field& field, const QString& name);
  QWidget* choice(std::size_t place, const Field& field, const QString& name);
  QWidget* toggle(std::size_t place, const Field& field, const QString& name);
  QWidget* elements(std::size_t place, const Field& field, const QString& name);
  QWidget* edges(std::size_t place, const Field& field, const QString& name);
  QWidget* line(std::size_t place, const Field& field, const QString& name);
  QWidget* text(std::size_t place, const Field& field, const QString& name);
  QWidget* suggested(std::size_t place, const Field& field, const QString& name);
  /// Puts a text into the job where it can be read; else tells why not. @return is it as it was?
  bool take_text(std::size_t place, const Field& field, const QString& text);

  QGridLayout* grid_;
  std::function<void(std::size_t, const FieldValue&)> set_;
  Foretell foretell_;
  FieldValues shown_;
  std::vector<std::function<void(const FieldValue&)>> show_;  // by place; none for fields without a row
  std::vector<QWidget*> folded_;
  std::shared_ptr<const bool> alive_ = std::make_shared<const bool>(true);  // gone before the rows are
};

}  // namespace anvil::app
