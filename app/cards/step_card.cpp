// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/cards/step_card.h"

#include <QApplication>
#include <QInputDialog>
#include <QMenu>
#include <QMouseEvent>
#include <algorithm>
#include <cmath>

#include "app/cards/editors.h"
#include "app/cards/tool_row.h"
#include "app/remedies.h"
#include "app/template_dialog.h"
#include "job/edit.h"
#include "job/forecast.h"

namespace anvil::app {

namespace {

/// Counts, volume and area side by side, and how far the surface moved.
QString in_words(const Comparison& comparison) {
  QString rows;
  const auto row = [&](const QString& what, const QString& was, const QString& is) {
    rows += QStringLiteral("<tr><td>%1&nbsp;&nbsp;</td><td align='right'>%2</td><td>&nbsp;→&nbsp;</td><td align='right'>%3</td></tr>").arg(what, was, is);
  };
  const auto number = [](double value) { return QString::number(value, 'g', 6); };
  const Numbers &was = comparison.numbers_before, &is = comparison.numbers_after;
  if (comparison.before != nullptr) {
    const SoundnessReport &before = *comparison.before, &after = *comparison.after;
    row(StepCard::tr("Holes"), QString::number(before.holes()), QString::number(after.holes()));
    for (const FamilyReport& found : before.families)
      if (found.family->role != FamilyRole::note && found.family != &families::open_edges && (found.count > 0 || after.count(*found.family) > 0))
        row(QString::fromUtf8(found.family->label), QString::number(found.count), QString::number(after.count(*found.family)));
  } else {
    row(StepCard::tr("Triangles"), QString::number(was.triangles), QString::number(is.triangles));
  }
  row(StepCard::tr("Volume, mm³"), was.closed ? number(was.volume) : StepCard::tr("open"), is.closed ? number(is.volume) : StepCard::tr("open"));
  row(StepCard::tr("Area, mm²"), number(was.area), number(is.area));
  const Deviation& d = comparison.deviation;
  const double rounding = 1e-9 * std::sqrt(was.area);
  const auto off = [&](double far) { return QString::number(far < rounding ? 0 : far, 'g', 3); };
  QString words = QStringLiteral("<table cellspacing='0' cellpadding='1'>%1</table>").arg(rows);
  words += StepCard::tr("New surface off the old: at most %1 mm, %2 mm on average. Old off the new: at most %3 mm, %4 mm.")
               .arg(off(d.from_new.max), off(d.from_new.mean), off(d.from_old.max), off(d.from_old.mean));
  for (const std::string& why : comparison.left) words += StepCard::tr("<br>Left: %1").arg(QString::fromStdString(why).toHtmlEscaped());
  return words;
}

}  // namespace

StepCard::StepCard(Session& session, const CardId& id) : RecipeCard(session, id, QString()) {
  const StepKind& kind = *step().kind;
  const bool with_tools = kind.tools != ToolRule::none;
  set_open(with_tools);
  on_ = new Switch(tr("%1 on or off").arg(QString::fromStdString(kind.label)));
  on_->setObjectName(QStringLiteral("step_%1_on").arg(id.step));
  connect(on_, &QAbstractButton::clicked, this, [this](bool now) {
    session_.commit(now ? tr("switch the step on") : tr("switch the step off"),
                    edit::change_step(session_.job(), id_.step, [now](Step& s) { s.on = now; }));
    refresh();
  });
  header()->addWidget(on_);
  auto* more = new QToolButton;
  more->setObjectName(QStringLiteral("step_menu_%1").arg(id.step));
  more->setText(QStringLiteral("⋮"));
  more->setAccessibleName(tr("What can be done with the step %1").arg(QString::fromStdString(step().shown_name())));
  more->setToolTip(tr("Rename, move, copy or delete this step, or look at the part as it is up to here"));
  more->setPopupMode(QToolButton::InstantPopup);
  auto* menu = new QMenu(more);
  connect(menu, &QMenu::aboutToShow, this, [this, menu] {
    menu->clear();
    fill_menu(*menu);
  });
  more->setMenu(menu);
  header()->addWidget(more);
  drag_handle()->installEventFilter(this);
  failure_ = new QLabel;
  failure_->setObjectName(QStringLiteral("step_failure"));
  failure_->setWordWrap(true);
  failure_->setStyleSheet(QStringLiteral("color: #B3202C;"));
  failure_->hide();
  body()->addWidget(failure_);
  remedies_row_ = new QWidget;
  remedies_row_->hide();
  remedies_ = new QVBoxLayout(remedies_row_);
  remedies_->setContentsMargins(0, 0, 0, 0);
  remedies_->setSpacing(0);
  body()->addWidget(remedies_row_);
  if (with_tools) {
    tools_layout_ = new QVBoxLayout;
    tools_layout_->setSpacing(3);
    body()->addLayout(tools_layout_);
    add_ = link_button(tr("+ Add chosen parts"));
    connect(add_, &QToolButton::clicked, this, [this] {
      const std::vector<PartId> others = addable();
      const auto operation = field_place(step().kind->fields, "operation");
      make_tools(session_, tr("add tools"), id_.part, others, operation ? *operation_named(std::get<std::string>(step().fields[*operation])) : Operation::difference, {id_.step, 0, edit::RowPlace::last});
    });
    body()->addWidget(add_);
  }
  for (std::size_t k = 0; k < kind.fields.size(); ++k)
    for (const EditorKind& editor : editor_table())
      if (editor.fits(kind, k)) body()->addWidget(editor.make(session_, step(), k));
  if (!kind.fields.empty()) {
    fields_ = new FieldRows(kind.fields, QStringLiteral("field_%1_").arg(id.step),
                            [this](std::size_t field, const FieldValue& value) { set(field, value); });
    connect(fields_, &FieldRows::refused, this, [this](const Issue& issue) { session_.complain(issue, id_.part); });
    fields_->set_foretell([this](double now, double then) { return foretold(now, then); });
    body()->addWidget(fields_);
  }
  compared_ = new QLabel;
  compared_->setObjectName(QStringLiteral("compared_%1").arg(id.step));
  compared_->setAccessibleName(tr("Before and after"));
  compared_->setWordWrap(true);
  compared_->setTextFormat(Qt::RichText);
  body()->addWidget(compared_);
  note_ = new QLabel;
  note_->setObjectName(QStringLiteral("faint"));
  note_->setWordWrap(true);
  body()->addWidget(note_);
  // The open card of a step that is placed in the view is the one that is worked on there.
  if (!with_tools) {
    connect(this, &Card::opened, this, [this](bool open) {
      if (open)
        session_.set_active_step(id_.step);
      else if (session_.active_step() == id_.step)
        session_.set_active_step(0);
    });
    connect(&session_, &Session::active_step_changed, this, [this] {
      if (session_.active_step() == id_.step) set_open(true);
    });
    if (session_.active_step() == id.step) set_open(true);
  }
}

void StepCard::rename() {
  bool good = false;
  const QString name = QInputDialog::getText(this, tr("Rename step"), tr("Name of the step; none gives it that of its kind"), QLineEdit::Normal,
                                             QString::fromStdString(step().name), &good);
  if (good) session_.commit(tr("rename the step"), edit::change_step(session_.job(), id_.step, [&](Step& s) { s.name = name.trimmed().toStdString(); }));
}

void StepCard::fill_menu(QMenu& menu) {
  const std::vector<Step>& recipe = session_.job().at(id_.part).recipe;
  const auto place = static_cast<std::size_t>(std::find_if(recipe.begin(), recipe.end(), [&](const Step& s) { return s.id == id_.step; }) - recipe.begin());
  const bool looked_at = session_.up_to() == id_.step;
  menu.addAction(looked_at ? tr("Show all of the recipe again") : tr("Show the part up to here"), this, [this, looked_at] { session_.look_up_to(looked_at ? 0 : id_.step); });
  menu.addSeparator();
  menu.addAction(tr("Rename"), this, &StepCard::rename);
  menu.addAction(tr("Move up"), this, [this, place] { session_.commit(tr("move the step"), edit::move_step(session_.job(), id_.step, place - 1)); })->setEnabled(place > 0);
  menu.addAction(tr("Move down"), this, [this, place] { session_.commit(tr("move the step"), edit::move_step(session_.job(), id_.step, place + 1)); })
      ->setEnabled(place + 1 < recipe.size());
  menu.addAction(tr("Duplicate"), this, [this] { session_.commit(tr("duplicate the step"), edit::copy_steps(session_.job(), {id_.step}, id_.part, {id_.step})); });
  std::vector<PartId> others;
  for (PartId part : session_.selection())
    if (part != id_.part) others.push_back(part);
  menu.addAction(tr("Copy to the other chosen parts"), this, [this, others] {
    Result<Job> job = session_.job();
    for (PartId part : others)
      if (job) job = edit::copy_steps(*job, {id_.step}, part);
    session_.commit(tr("copy the step"), job);
  })->setEnabled(!others.empty());
  menu.addAction(tr("Keep as a template…"), this, [this] { KeepTemplateDialog(session_, id_.part, id_.step, window()).exec(); });
  menu.addAction(tr("Delete"), this, [this] { session_.commit(tr("delete step"), edit::remove_step(session_.job(), id_.step)); });
}

void StepCard::set(std::size_t field, const FieldValue& value) {
  const Field& what = step().kind->fields[field];
  session_.commit(tr("set %1 to %2").arg(QString::fromStdString(what.label).toLower(), QString::fromStdString(in_words(what, value))),
                  edit::change_step(session_.job(), id_.step, [&](Step& s) { s.fields[field] = value; }));
  refresh();
}

/// Chosen parts that are not in this step yet.
std::vector<PartId> StepCard::addable() const {
  std::vector<PartId> parts;
  for (PartId part : session_.selection()) {
    const auto& uses = session_.job().uses_of(part);
    if (part != id_.part && std::none_of(uses.begin(), uses.end(), [&](const Job::Use& use) { return use.step == id_.step; })) parts.push_back(part);
  }
  return parts;
}

QString StepCard::summary() const {
  if (step().kind->tools != ToolRule::none) {
    std::size_t tools = 0;
    const auto count = [&](const auto& self, const std::vector<ToolUse>& rows) -> void {
      for (const ToolUse& row : rows) row.is_tray() ? self(self, session_.job().rows_of(row)) : void(++tools);
    };
    count(count, step().tools);
    return tools == 1 ? tr("1 tool") : tr("%1 tools").arg(tools);
  }
  if (const auto chosen = field_place(step().kind->fields, "chosen")) return QString::fromStdString(in_words(step().kind->fields[*chosen], step().fields[*chosen]));
  // The first choice says most.
  for (std::size_t k = 0; k < step().kind->fields.size(); ++k)
    if (step().kind->fields[k].kind == FieldKind::choice)
      return QString::fromStdString(in_words(step().kind->fields[k], step().fields[k]));
  return {};
}

void StepCard::refresh() {
  if (!session_.job().find_step(id_.step)) return;
  set_title(QString::fromStdString(step().shown_name()));
  set_summary(summary());
  on_->setChecked(step().on);
  if (fields_ != nullptr) fields_->show_values(step().fields);
  if (tools_layout_ != nullptr) refresh_tools();
  const PartResult r = session_.result(id_.part);
  QString failure, note, compared;
  if (r.evaluated) {
    auto is_this = [&](Index place) { return r.cast.step(place) == id_.step; };
    if (r.evaluated->error && is_this(r.evaluated->error_step))
      failure = QString::fromStdString(session_.named(id_.part, *r.evaluated->error).message());
    for (const StepReport& report : r.evaluated->steps) {
      if (!is_this(report.step)) continue;
      if (report.comparison) compared = in_words(*report.comparison);
      note = tr("%1 ms").arg(report.report.seconds * 1000, 0, 'f', report.report.seconds < 0.01 ? 1 : 0);
      for (const auto& done : report.report.done)
        if (done.note->place == Note::Place::card || done.note->place == Note::Place::both) note += QStringLiteral(" · ") + session_.named(id_.part, in_words(done));
    }
  }
  // What older results took and did is not told as that of this one.
  if (const Standing standing = session_.standing(id_.part); standing == Standing::being_made || standing == Standing::stopped) {
    note = note.isEmpty() ? in_words(standing) : tr("%1 · it was: %2").arg(in_words(standing), note);
    if (!compared.isEmpty()) compared = tr("It was: %1").arg(compared);
  }
  show_failure(failure);
  compared_->setText(compared);
  compared_->setVisible(!compared.isEmpty() && step().on);
  note_text_ = note;
  note_->setText(note);
  note_->setVisible(!note.isEmpty() && step().on);
}

QString StepCard::foretold(double now, double then) const {
  if (!session_.is_current(id_.part)) return {};  // it may have been made at another detail
  const PartResult& r = session_.result(id_.part);
  if (r.evaluated)
    for (const StepReport& made : r.evaluated->steps)
      if (r.cast.step(made.step) == id_.step)
        if (const auto known = forecast(made.report, now, then)) return QString::fromStdString(in_words(*known));
  return {};
}

/// With its ways out, of which more may be known later: whether the tool that it blames can be mended.
void StepCard::show_failure(const QString& failure) {
  if (failure != failure_->text() && !failure.isEmpty()) set_open(true);
  failure_->setText(failure);
  failure_->setVisible(!failure.isEmpty());
  const std::vector<Remedy> remedies = failure.isEmpty() ? std::vector<Remedy>() : remedies_for(session_, id_.part, id_.step);
  QStringList offered;
  for (const Remedy& remedy : remedies) offered << remedy.label;
  if (offered == offered_) return;
  offered_ = offered;
  clear_layout(remedies_);
  remedies_row_->setVisible(!offered.isEmpty());
  for (const Remedy& remedy : remedies) {
    auto* button = link_button(remedy.label);
    button->setObjectName(QStringLiteral("remedy_%1").arg(id_.step));
    connect(button, &QToolButton::clicked, this, remedy.run);
    remedies_->addWidget(button, 0, Qt::AlignLeft);
  }
}

void StepCard::show_activity(double seconds, double progress) {
  constexpr double told_after = 0.3;  // seconds
  const QString text = seconds < told_after ? note_text_
                       : progress > 0       ? tr("computing, %1 s · %2 %").arg(seconds, 0, 'f', 1).arg(qRound(100 * progress))
                                            : tr("computing, %1 s").arg(seconds, 0, 'f', 1);
  if (text == note_->text()) return;
  note_->setText(text);
  note_->setVisible(!text.isEmpty() && step().on);
}

// Dragging the card by its header --------------------------------------------------------------------------

bool StepCard::eventFilter(QObject* watched, QEvent* event) {
  const auto* mouse = dynamic_cast<QMouseEvent*>(event);  // null for what is no such event
  switch (event->type()) {
    case QEvent::MouseButtonPress:
      if (mouse->button() == Qt::LeftButton) pressed_at_ = mouse->globalPosition().toPoint();
      break;
    case QEvent::MouseMove:
      if (!pressed_at_) break;
      if (!dragging_ && (mouse->globalPosition().toPoint() - *pressed_at_).manhattanLength() < QApplication::startDragDistance()) break;
      if (!std::exchange(dragging_, true)) static_cast<QWidget*>(watched)->setFocus();
      goes_to_ = place_at(mouse->globalPosition().toPoint());
      return true;
    case QEvent::MouseButtonRelease: {
      const bool was_dragging = dragging_;
      const auto to = goes_to_;
      end_drag();
      if (!was_dragging) break;
      static_cast<QAbstractButton*>(watched)->setDown(false);
      if (to) session_.commit(tr("move the step"), edit::move_step(session_.job(), id_.step, *to));
      return true;
    }
    case QEvent::ShortcutOverride:  // Escape means the drag and no verb
      if (!dragging_) break;
      event->accept();
      return true;
    case QEvent::KeyPress:
      if (!dragging_ || static_cast<QKeyEvent*>(event)->key() != Qt::Key_Escape) break;
      end_drag();
      static_cast<QAbstractButton*>(watched)->setDown(false);
      session_.say(tr("Left where it was"));
      return true;
    default: break;
  }
  return RecipeCard::eventFilter(watched, event);
}

void StepCard::end_drag() {
  dragging_ = false;
  pressed_at_.reset();
  goes_to_.reset();
  if (mark_ != nullptr) mark_->deleteLater();
  mark_ = nullptr;
}

std::optional<std::size_t> StepCard::place_at(const QPoint& global) {
  std::vector<StepCard*> cards;
  for (StepCard* card : parentWidget()->findChildren<StepCard*>(QString(), Qt::FindDirectChildrenOnly))
    if (card->isVisible()) cards.push_back(card);
  std::sort(cards.begin(), cards.end(), [](const StepCard* a, const StepCard* b) { return a->y() < b->y(); });
  const int y = parentWidget()->mapFromGlobal(global).y();
  std::size_t before = 0;  // how many cards lie above
  while (before < cards.size() && y > cards[before]->geometry().center().y()) ++before;
  const auto own = static_cast<std::size_t>(std::find(cards.begin(), cards.end(), this) - cards.begin());
  if (mark_ == nullptr) {
    mark_ = new QFrame(parentWidget());
    mark_->setObjectName(QStringLiteral("insertion_mark"));
    mark_->setStyleSheet(QStringLiteral("background: #A1267E;"));
  }
  const int line = before < cards.size() ? cards[before]->y() - 5 : cards.back()->geometry().bottom() + 3;
  mark_->setGeometry(cards[own]->x(), line, cards[own]->width(), 2);
  mark_->show();
  mark_->raise();
  return before > own ? before - 1 : before;
}

/// The rows that are shown: those of trays only while they are open.
void StepCard::add_rows(const std::vector<ToolUse>& rows, UseId tray, bool by_set, int depth, std::vector<RowId>& to) const {
  for (std::size_t k = 0; k < rows.size(); ++k) {
    const ToolUse& row = rows[k];
    to.push_back({id_.step, row.id, row.tool, by_set, tray, k, depth});
    if (row.is_tray() && !folded_.contains(row.id)) add_rows(session_.job().rows_of(row), row.id, row.set != 0, depth + 1, to);
  }
}

void StepCard::refresh_tools() {
  std::vector<RowId> wanted, shown;
  add_rows(step().tools, 0, false, 0, wanted);
  for (const ToolRow* row : rows_) shown.push_back(row->id());
  const auto is_tool = [&](PartId part) { return std::any_of(wanted.begin(), wanted.end(), [&](const RowId& row) { return row.tool == part; }); };
  const PartId inner = session_.chosen() != 0 && is_tool(session_.chosen()) ? session_.chosen() : 0;
  std::vector<StepId> inner_steps;
  if (inner != 0)
    for (const Step& own : session_.job().at(inner).recipe) inner_steps.push_back(own.id);
  if (wanted != shown || inner != inner_of_ || inner_steps != inner_steps_) {
    inner_steps_ = inner_steps;
    clear_layout(tools_layout_);
    rows_.clear();
    inner_cards_.clear();
    inner_ = nullptr;
    rides_ = nullptr;
    inner_of_ = inner;
    for (const RowId& row : wanted) {
      rows_.push_back(new ToolRow(session_, row));
      tools_layout_->addWidget(rows_.back());
      connect(rows_.back(), &ToolRow::fold_wanted, this, [this](UseId tray) {
        if (!folded_.erase(tray)) folded_.insert(tray);
        refresh();
      });
      if (row.tool != 0 && row.tool == inner && inner_ == nullptr) show_inner(inner);
    }
  }
  for (ToolRow* row : rows_) row->refresh(folded_.contains(row->id().use));
  for (RecipeCard* card : inner_cards_) card->refresh();
  if (rides_ != nullptr) rides_->setChecked(session_.job().at(inner_of_).rides_on.has_value());
  add_->setVisible(!addable().empty());
}

/// The chosen tool's own source, place and steps, below its row.
void StepCard::show_inner(PartId tool) {
  inner_ = new QWidget;
  auto* layout = new QVBoxLayout(inner_);
  layout->setContentsMargins(14, 2, 0, 6);
  std::vector<CardId> cards{{CardId::of_source, tool, 0, session_.job().at(tool).source.index()}, {CardId::of_place, tool, 0, session_.job().at(tool).source.index()}};
  for (StepId step : inner_steps_) cards.push_back({CardId::of_step, tool, step});
  for (const CardId& card : cards) {
    inner_cards_.push_back(make_card(session_, card));
    layout->addWidget(inner_cards_.back());
  }
  auto* ride = new QHBoxLayout;
  rides_ = new Switch(tr("Ride along with the part"));
  rides_->setObjectName(QStringLiteral("ride_along"));
  connect(rides_, &QAbstractButton::clicked, this, [this, tool](bool along) {
    session_.commit(along ? tr("ride along") : tr("stay put"), edit::fasten(session_.job(), tool, along ? std::optional(id_.part) : std::nullopt));
  });
  ride->addWidget(rides_);
  ride->addWidget(new QLabel(tr("rides along when the part moves")));
  ride->addStretch();
  layout->addLayout(ride);
  tools_layout_->addWidget(inner_);
}

}  // namespace anvil::app
