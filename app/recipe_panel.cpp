// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/recipe_panel.h"

#include <QActionGroup>
#include <QMenu>
#include <QMouseEvent>
#include <QTimer>

#include "app/theme.h"
#include "job/edit.h"

namespace anvil::app {
namespace {

QString number(double value) {
  return QString::number(value, 'g', 6);
}

/// A row that is clicked as a whole and can be dragged onto another to change the order.
class ToolRow : public QFrame {
 public:
  std::function<void(Qt::KeyboardModifiers)> on_click;
  std::function<void(int)> on_move;  ///< by so many rows

 protected:
  void mousePressEvent(QMouseEvent* event) override { from_ = event->position().y(); }
  void mouseReleaseEvent(QMouseEvent* event) override {
    const int rows = qRound((event->position().y() - from_) / std::max(1, height()));
    if (rows != 0 && on_move)
      on_move(rows);
    else if (on_click)
      on_click(event->modifiers());
  }

 private:
  double from_ = 0;
};

}  // namespace

RecipePanel::RecipePanel(Session& session, QWidget* parent) : QWidget(parent), session_(session) {
  open_ = {
      {QStringLiteral("source"), true}, {QStringLiteral("place"), false}, {QStringLiteral("combine"), true}};
  auto* layout = new QVBoxLayout(this);
  layout->setContentsMargins(10, 10, 10, 6);
  layout->setSpacing(8);
  auto* head = new QHBoxLayout;
  head->setContentsMargins(6, 0, 6, 0);
  title_ = section_label(QString());
  time_ = new QLabel;
  time_->setObjectName(QStringLiteral("faint"));
  head->addWidget(title_);
  head->addStretch();
  head->addWidget(time_);
  layout->addLayout(head);
  scroll_ = new QScrollArea;
  scroll_->setWidgetResizable(true);
  scroll_->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
  auto* content = new QWidget;
  auto* outer = new QVBoxLayout(content);
  outer->setContentsMargins(0, 0, 4, 0);
  cards_ = new QVBoxLayout;
  cards_->setSpacing(8);
  outer->addLayout(cards_);
  outer->addStretch();
  scroll_->setWidget(content);
  layout->addWidget(scroll_);
  connect(&session_, &Session::job_changed, this, &RecipePanel::refresh);
  connect(&session_, &Session::selection_changed, this, &RecipePanel::refresh);
  connect(&session_, &Session::result_changed, this, &RecipePanel::refresh);
  refresh();
}

/// Everything that decides which widgets there are; values are not part of it.
QString RecipePanel::structure() const {
  QString text;
  const Job& job = session_.job();
  const PartId owner = session_.recipe_owner();
  const Part* part = job.find(owner);
  if (part == nullptr) return QStringLiteral("none");
  text += QStringLiteral("%1 %2 %3 ")
              .arg(owner)
              .arg(QString::fromStdString(part->name))
              .arg(part->source.index());
  for (PartId id : session_.selection()) text += QStringLiteral("s%1 ").arg(id);
  for (const Step& step : part->recipe) {
    const auto& combine = std::get<CombineStep>(step);
    text += combine.on ? QStringLiteral("on ") : QStringLiteral("off ");
    for (const ToolUse& use : combine.tools) {
      const Part& tool = job.at(use.tool);
      text += QStringLiteral("%1 %2 %3 %4 %5,")
                  .arg(use.tool)
                  .arg(static_cast<int>(use.operation))
                  .arg(use.on)
                  .arg(QString::fromStdString(tool.name))
                  .arg(tool.rides_on.has_value());
    }
  }
  if (const PartResult r = session_.result(owner); r.evaluated && r.evaluated->error)
    text += QString::fromStdString(r.evaluated->error->subject);
  return text;
}

void RecipePanel::refresh() {
  const PartId owner = session_.recipe_owner();
  const PartResult r = session_.result(owner);
  time_->setText(r.evaluated && r.evaluated->boolean.seconds > 0
                     ? tr("%1 ms").arg(r.evaluated->boolean.seconds * 1000, 0, 'f',
                                       r.evaluated->boolean.seconds < 0.01 ? 1 : 0)
                     : QString());
  if (const QString wanted = structure(); wanted != built_) {
    built_ = wanted;
    rebuild();
  }
  for (const auto& update : updates_) update();
}

void RecipePanel::rebuild() {
  const QString focused = isAncestorOf(focusWidget()) ? focusWidget()->objectName() : QString();
  updates_.clear();
  clear_layout(cards_);
  const Job& job = session_.job();
  const PartId owner = session_.recipe_owner();
  const Part* part = job.find(owner);
  title_->setText(part == nullptr ? tr("RECIPE")
                                  : tr("RECIPE OF %1").arg(QString::fromStdString(part->name).toUpper()));
  if (part == nullptr) {
    auto* nothing = new QLabel(tr("Choose a part to see how it is made."));
    nothing->setObjectName(QStringLiteral("faint"));
    nothing->setContentsMargins(6, 0, 0, 0);
    cards_->addWidget(nothing);
    return;
  }
  add_source(cards_, owner);
  add_place(cards_, owner);
  for (std::size_t s = 0; s < part->recipe.size(); ++s) add_combine(cards_, owner, s);
  if (!focused.isEmpty())
    QTimer::singleShot(0, this, [this, focused] {
      for (QWidget* widget : findChildren<QWidget*>(focused))
        if (widget->isVisible()) widget->setFocus();
    });
}

void RecipePanel::change(const QString& label, PartId id, const std::function<void(Part&)>& how) {
  if (session_.job().at(id).locked)
    return session_.complain({"is locked", session_.job().at(id).name, {}, "unlock it first"}, id);
  session_.commit(label, edit::change_part(session_.job(), id, how));
}

NumberField* RecipePanel::field(QGridLayout* grid, int row, int column, const QString& label,
                                const QString& name, std::function<double()> get,
                                std::function<void(double)> set, double least, double most, bool whole,
                                const QString& unit) {
  auto* number_field = new NumberField(label, least, most, whole, unit);
  number_field->setObjectName(name);
  number_field->show_value(get());
  updates_.push_back([number_field, get] { number_field->show_value(get()); });
  connect(number_field, &QDoubleSpinBox::valueChanged, this, [set](double value) { set(value); });
  grid->addWidget(number_field, row, column);
  return number_field;
}

void RecipePanel::add_source(QVBoxLayout* into, PartId id) {
  const Part& part = session_.job().at(id);
  const auto* primitive = std::get_if<Primitive>(&part.source);
  const QString title =
      primitive != nullptr ? QString::fromLatin1(spec_of(primitive->kind).label) : tr("Imported mesh");
  auto* card = new Card(title, QString(), open_[QStringLiteral("source")]);
  connect(card, &Card::opened, this, [this](bool open) { open_[QStringLiteral("source")] = open; });
  into->addWidget(card);
  if (primitive == nullptr) {
    const auto& imported = std::get<ImportedSource>(part.source);
    card->set_summary(QStringLiteral("%L1 polygons").arg(imported.mesh->face_count()));
    auto* file = new QLabel(tr("from %1").arg(QString::fromStdString(imported.file)));
    file->setObjectName(QStringLiteral("faint"));
    card->body()->addWidget(file);
    return;
  }
  updates_.push_back([this, card, id] {
    const Part* now = session_.job().find(id);
    if (now == nullptr) return;
    if (const auto* p = std::get_if<Primitive>(&now->source))
      card->set_summary(QString::fromStdString(p->summary()));
  });
  auto* grid = new QGridLayout;
  grid->setVerticalSpacing(3);
  grid->setColumnStretch(1, 1);
  const auto& dimensions = spec_of(primitive->kind).dimensions;
  for (std::size_t k = 0; k < dimensions.size(); ++k) {
    const DimensionSpec& d = dimensions[k];
    const int row = static_cast<int>(k);
    grid->addWidget(new QLabel(QString::fromLatin1(d.label)), row, 0);
    field(
        grid, row, 1, QString::fromLatin1(d.label),
        QStringLiteral("dimension_%1_%2").arg(id).arg(QLatin1String(d.key)),
        [this, id, k] {
          const Part* now = session_.job().find(id);
          const auto* p = now == nullptr ? nullptr : std::get_if<Primitive>(&now->source);
          return p == nullptr || k >= p->values.size() ? 0.0 : p->values[k];
        },
        [this, id, k, label = QString::fromLatin1(d.label)](double value) {
          change(tr("change %1").arg(label.toLower()), id,
                 [&](Part& p) { std::get<Primitive>(p.source).values[k] = value; });
        },
        d.least, d.most, d.whole, d.whole ? QString() : QStringLiteral("mm"));
  }
  card->body()->addLayout(grid);
}

void RecipePanel::add_place(QVBoxLayout* into, PartId id) {
  auto* card = new Card(tr("Place"), QString(), open_[QStringLiteral("place")]);
  connect(card, &Card::opened, this, [this](bool open) { open_[QStringLiteral("place")] = open; });
  into->addWidget(card);
  updates_.push_back([this, card, id] {
    if (const Part* p = session_.job().find(id))
      card->set_summary(QStringLiteral("%1, %2, %3")
                            .arg(number(p->placement.position.x()), number(p->placement.position.y()),
                                 number(p->placement.position.z())));
  });
  auto* grid = new QGridLayout;
  grid->setVerticalSpacing(3);
  grid->setHorizontalSpacing(4);
  static constexpr const char* columns[3] = {"right", "back", "up"};
  for (int k = 0; k < 3; ++k) {
    auto* head = new QLabel(QString::fromLatin1(columns[k]));
    head->setObjectName(QStringLiteral("faint"));
    grid->addWidget(head, 0, k + 1);
  }
  struct Row {
    const char *label, *key, *unit;
    Vec3 Placement::*member;
    double most;
  };
  for (const Row& row : {Row{"Position", "position", "", &Placement::position, 1e7},
                         Row{"Angles", "angle", "°", &Placement::angles, 36000}}) {
    const int line = row.member == &Placement::position ? 1 : 2;
    grid->addWidget(new QLabel(tr(row.label)), line, 0);
    for (int k = 0; k < 3; ++k)
      field(
          grid, line, k + 1, tr("%1 %2").arg(tr(row.label), QLatin1String(columns[k])),
          QStringLiteral("%1_%2_%3").arg(QLatin1String(row.key)).arg(id).arg(k),
          [this, id, k, member = row.member] {
            const Part* p = session_.job().find(id);
            return p == nullptr ? 0.0 : (p->placement.*member)[k];
          },
          [this, id, k, member = row.member](double value) {
            change(member == &Placement::position ? tr("move") : tr("turn"), id,
                   [&](Part& p) { (p.placement.*member)[k] = value; });
          },
          -row.most, row.most, false, QString::fromUtf8(row.unit));
  }
  grid->addWidget(new QLabel(tr("Size")), 3, 0);
  auto own_size = [this, id](int k) {
    const PartResult r = session_.result(id);
    return r.evaluated && r.evaluated->drawable ? r.evaluated->drawable->box.size()[k] : 0.0;
  };
  for (int k = 0; k < 3; ++k)
    field(
        grid, 3, k + 1, tr("Size %1").arg(QLatin1String(columns[k])),
        QStringLiteral("size_%1_%2").arg(id).arg(k),
        [this, id, k, own_size] {
          const Part* p = session_.job().find(id);
          return p == nullptr ? 0.0 : own_size(k) * std::abs(p->placement.scale[k]);
        },
        [this, id, k, own_size](double value) {
          if (own_size(k) <= 0 || value <= 0) return;
          change(tr("scale"), id, [&](Part& p) {
            p.placement.scale[k] = std::copysign(value / own_size(k), p.placement.scale[k]);
          });
        },
        0, 1e7, false, QString());
  if (const Part& part = session_.job().at(id); part.rides_on) {
    auto* frame = new QLabel(tr("measured from %1, on which it rides")
                                 .arg(QString::fromStdString(session_.job().at(*part.rides_on).name)));
    frame->setObjectName(QStringLiteral("faint"));
    card->body()->addWidget(frame);
  }
  card->body()->addLayout(grid);
}

void RecipePanel::add_combine(QVBoxLayout* into, PartId owner, std::size_t step) {
  const auto& combine = std::get<CombineStep>(session_.job().at(owner).recipe[step]);
  auto* card = new Card(tr("Combine"), QString(), open_[QStringLiteral("combine")]);
  card->set_summary(combine.tools.size() == 1 ? tr("1 tool") : tr("%1 tools").arg(combine.tools.size()));
  connect(card, &Card::opened, this, [this](bool open) { open_[QStringLiteral("combine")] = open; });
  auto* on = new Switch(tr("Combine step on or off"));
  on->setObjectName(QStringLiteral("step_%1_on").arg(step));
  on->setChecked(combine.on);
  connect(on, &QAbstractButton::toggled, this, [this, owner, step](bool now) {
    change(now ? tr("switch the step on") : tr("switch the step off"), owner,
           [&](Part& p) { std::get<CombineStep>(p.recipe[step]).on = now; });
  });
  card->header()->addWidget(on);
  for (std::size_t k = 0; k < combine.tools.size(); ++k) {
    card->body()->addWidget(tool_row(owner, step, k));
    const PartId tool = combine.tools[k].tool;
    if (session_.chosen() == tool) {
      auto* inner = new QVBoxLayout;
      inner->setContentsMargins(14, 2, 0, 6);
      add_source(inner, tool);
      add_place(inner, tool);
      auto* ride = new QHBoxLayout;
      auto* rides = new Switch(tr("Ride along with the part"));
      rides->setObjectName(QStringLiteral("ride_along"));
      rides->setChecked(session_.job().at(tool).rides_on.has_value());
      connect(rides, &QAbstractButton::toggled, this, [this, tool](bool along) {
        session_.commit(along ? tr("ride along") : tr("stay put"),
                        edit::set_ride_along(session_.job(), tool, along));
      });
      ride->addWidget(rides);
      ride->addWidget(new QLabel(tr("rides along when the part moves")));
      ride->addStretch();
      inner->addLayout(ride);
      card->body()->addLayout(inner);
    }
  }
  auto* untouched = new QLabel;
  untouched->setObjectName(QStringLiteral("faint"));
  untouched->setWordWrap(true);
  card->body()->addWidget(untouched);
  updates_.push_back([this, untouched, owner] {
    QString text;
    if (const PartResult r = session_.result(owner); r.evaluated)
      for (const auto& done : r.evaluated->boolean.done)
        if (done.what == "polygons_untouched") text = QString::fromStdString(in_words(done));
    untouched->setText(text);
    untouched->setVisible(!text.isEmpty());
  });
  // Chosen parts that are not in the recipe yet can be added to it here.
  std::vector<PartId> others;
  for (PartId id : session_.selection())
    if (!session_.job().use_of(id) && id != owner) others.push_back(id);
  if (!others.empty()) {
    auto* add = link_button(tr("+ Add chosen parts"));
    connect(add, &QToolButton::clicked, this, [this, owner, others] {
      session_.commit(tr("add tools"), edit::combine(session_.job(), owner, others, Operation::difference));
    });
    card->body()->addWidget(add);
  }
  into->addWidget(card);
}

QWidget* RecipePanel::tool_row(PartId owner, std::size_t step, std::size_t place) {
  const ToolUse use = std::get<CombineStep>(session_.job().at(owner).recipe[step]).tools[place];
  const Part& tool = session_.job().at(use.tool);
  auto* row = new ToolRow;
  row->setObjectName(QStringLiteral("tool_%1").arg(use.tool));
  row->setAccessibleName(QString::fromStdString(tool.name));
  row->setFixedHeight(27);
  row->setCursor(Qt::PointingHandCursor);
  const auto& chosen = session_.selection();
  if (std::find(chosen.begin(), chosen.end(), use.tool) != chosen.end())
    row->setStyleSheet(
        QStringLiteral("QFrame#%1 { background: #EAD9E3; border-radius: 4px; }").arg(row->objectName()));
  auto* layout = new QHBoxLayout(row);
  layout->setContentsMargins(4, 0, 4, 0);
  auto* glyph = new QLabel;
  const QColor tint = use.on ? theme::operation_tint(use.operation) : QColor(0xB3, 0xAC, 0x9F);
  glyph->setPixmap(theme::pixmap(QString::fromLatin1(theme::operation_glyph(use.operation)), tint, 16,
                                 devicePixelRatioF()));
  layout->addWidget(glyph);
  auto* name = new QLabel(QString::fromStdString(tool.name));
  if (!use.on) name->setObjectName(QStringLiteral("faint"));
  layout->addWidget(name, 1);
  const PartResult r = session_.result(owner);
  if (r.evaluated && r.evaluated->error && r.evaluated->error->subject == tool.name) {
    auto* warning = new QLabel;
    warning->setPixmap(theme::pixmap(QStringLiteral("unsound"), theme::defect, 15, devicePixelRatioF()));
    warning->setToolTip(QString::fromStdString(r.evaluated->error->message()));
    layout->addWidget(warning);
  }
  auto* operation = new QToolButton;
  operation->setObjectName(QStringLiteral("operation_%1").arg(use.tool));
  operation->setText(theme::operation_label(use.operation));
  operation->setToolTip(tr("What this tool does to the part"));
  operation->setPopupMode(QToolButton::InstantPopup);
  operation->setStyleSheet(QStringLiteral("color: #6B665D;"));
  auto* menu = new QMenu(operation);
  for (Operation o : all_operations)
    menu->addAction(theme::icon(QString::fromLatin1(theme::operation_glyph(o)), theme::operation_tint(o)),
                    theme::operation_label(o), this, [this, owner, step, place, o] {
                      change(tr("change the operation"), owner, [&](Part& p) {
                        std::get<CombineStep>(p.recipe[step]).tools[place].operation = o;
                      });
                    });
  operation->setMenu(menu);
  layout->addWidget(operation);
  auto* on = new Switch(tr("%1 on or off").arg(QString::fromStdString(tool.name)));
  on->setObjectName(QStringLiteral("tool_on_%1").arg(use.tool));
  on->setChecked(use.on);
  connect(on, &QAbstractButton::toggled, this, [this, owner, step, place](bool now) {
    change(now ? tr("switch the tool on") : tr("switch the tool off"), owner,
           [&](Part& p) { std::get<CombineStep>(p.recipe[step]).tools[place].on = now; });
  });
  layout->addWidget(on);
  row->on_click = [this, id = use.tool](Qt::KeyboardModifiers modifiers) {
    if (modifiers & (Qt::ControlModifier | Qt::ShiftModifier))
      session_.toggle_selected(id);
    else
      session_.select({id});
  };
  row->on_move = [this, owner, step, place](int rows) {
    const auto& tools = std::get<CombineStep>(session_.job().at(owner).recipe[step]).tools;
    const int to = std::clamp(static_cast<int>(place) + rows, 0, static_cast<int>(tools.size()) - 1);
    session_.commit(tr("reorder tools"),
                    edit::move_tool(session_.job(), owner, step, place, static_cast<std::size_t>(to)));
  };
  return row;
}

}  // namespace anvil::app
