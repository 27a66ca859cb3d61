// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/parts_panel.h"

#include <QInputDialog>
#include <QMouseEvent>
#include <QPainter>
#include <QItemSelectionModel>
#include <QStyledItemDelegate>
#include <set>

#include "app/theme.h"
#include "app/widgets.h"
#include "job/edit.h"

namespace anvil::app {
namespace {

enum Role { part_id = PartList::part_role, count_text, state_icon, hidden, locked };

/// Glyph of the verdict, name, and the number of triangles; an eye at the right end shows and hides.
class PartDelegate : public QStyledItemDelegate {
 public:
  explicit PartDelegate(Session& session, QObject* parent) : QStyledItemDelegate(parent), session_(session) {}

  QSize sizeHint(const QStyleOptionViewItem&, const QModelIndex&) const override { return {100, 28}; }

  void paint(QPainter* painter, const QStyleOptionViewItem& option, const QModelIndex& index) const override {
    painter->save();
    painter->setRenderHint(QPainter::Antialiasing);
    const QRect r = option.rect;
    if (option.state & QStyle::State_Selected) {
      painter->fillRect(r, theme::selection_wash);
      painter->fillRect(QRect(r.left(), r.top(), 3, r.height()), theme::selection);
    } else if (option.state & QStyle::State_MouseOver) {
      painter->fillRect(r, QColor(0xEC, 0xE7, 0xDD));
    }
    const bool is_hidden = index.data(hidden).toBool();
    const QString state = index.data(state_icon).toString();
    const QColor state_colour = state == QStringLiteral("unsound") ? theme::defect
                                : state == QStringLiteral("sound") || state == QStringLiteral("cloud") ? theme::ink
                                                                   : theme::faint_ink;
    const double ratio = painter->device()->devicePixelRatioF();
    painter->drawPixmap(r.left() + 12, r.top() + 6, theme::pixmap(state, state_colour, 16, ratio));
    painter->setPen(is_hidden ? theme::faint_ink : theme::ink);
    QFont font = option.font;
    font.setPixelSize(13);
    font.setWeight(option.state & QStyle::State_Selected ? QFont::DemiBold : QFont::Medium);
    painter->setFont(font);
    const QString name = QFontMetrics(font).elidedText(index.data(Qt::DisplayRole).toString(), Qt::ElideRight,
                                                       r.width() - 140);
    painter->drawText(r.adjusted(38, 0, -90, 0), Qt::AlignVCenter | Qt::AlignLeft, name);
    font.setPixelSize(11);
    font.setWeight(QFont::Normal);
    painter->setFont(font);
    painter->setPen(theme::faint_ink);
    painter->drawText(r.adjusted(0, 0, -36, 0), Qt::AlignVCenter | Qt::AlignRight,
                      index.data(count_text).toString());
    if (index.data(locked).toBool())
      painter->drawPixmap(r.right() - 100, r.top() + 7,
                          theme::pixmap(QStringLiteral("locked"), theme::faint_ink, 14, ratio));
    painter->drawPixmap(r.right() - 26, r.top() + 6,
                        theme::pixmap(is_hidden ? QStringLiteral("hidden") : QStringLiteral("shown"),
                                      is_hidden ? theme::ink : QColor(0xB3, 0xAC, 0x9F), 16, ratio));
    painter->restore();
  }

  bool editorEvent(QEvent* event, QAbstractItemModel* model, const QStyleOptionViewItem& option,
                   const QModelIndex& index) override {
    if (event->type() == QEvent::MouseButtonRelease) {
      const auto* mouse = static_cast<QMouseEvent*>(event);
      if (mouse->position().x() > option.rect.right() - 30) {
        const auto id = index.data(part_id).value<PartId>();
        const bool visible = session_.job().at(id).visible;
        session_.commit(visible ? QObject::tr("hide") : QObject::tr("show"),
                        edit::change_part(session_.job(), id, [&](Part& p) { p.visible = !visible; }));
        return true;
      }
    }
    return QStyledItemDelegate::editorEvent(event, model, option, index);
  }

 private:
  Session& session_;
};

}  // namespace

PartsPanel::PartsPanel(Session& session, QWidget* parent) : QWidget(parent), session_(session) {
  auto* layout = new QVBoxLayout(this);
  layout->setContentsMargins(8, 12, 8, 4);
  layout->setSpacing(6);
  auto* title = section_label(tr("PARTS"));
  title->setContentsMargins(8, 0, 0, 0);
  auto* head = new QHBoxLayout;
  head->addWidget(title);
  search_ = new QLineEdit;
  search_->setObjectName(QStringLiteral("search_parts"));
  search_->setPlaceholderText(tr("Search"));
  search_->setAccessibleName(tr("Search parts and tools by name"));
  search_->setClearButtonEnabled(true);
  head->addWidget(search_, 1);
  layout->addLayout(head);
  auto* sets = new QHBoxLayout;
  sets_ = new QComboBox;
  sets_->setObjectName(QStringLiteral("sets"));
  sets_->setAccessibleName(tr("Which parts are listed"));
  sets_->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
  set_menu_ = new QToolButton;
  set_menu_->setObjectName(QStringLiteral("set_menu"));
  set_menu_->setText(QStringLiteral("⋮"));
  set_menu_->setAccessibleName(tr("What can be done with the set"));
  set_menu_->setPopupMode(QToolButton::InstantPopup);
  set_menu_->setMenu(new QMenu(set_menu_));
  connect(set_menu_->menu(), &QMenu::aboutToShow, this, [this] {
    set_menu_->menu()->clear();
    fill_set_menu(*set_menu_->menu());
  });
  sets->addWidget(sets_, 1);
  sets->addWidget(set_menu_);
  layout->addLayout(sets);
  connect(search_, &QLineEdit::textChanged, this, &PartsPanel::rebuild);
  connect(sets_, &QComboBox::activated, this, [this](int index) {
    set_ = sets_->itemData(index).toUInt();
    rebuild();
    if (const PartSet* set = session_.job().find_set(set_)) session_.select(set->parts);
  });
  list_ = new PartList;
  list_->setObjectName(QStringLiteral("parts"));
  list_->setAccessibleName(tr("Parts of the job"));
  list_->setContextMenuPolicy(Qt::CustomContextMenu);
  list_->setMouseTracking(true);
  list_->setItemDelegate(new PartDelegate(session_, list_));
  layout->addWidget(list_);

  connect(list_, &QListWidget::itemSelectionChanged, this, [this] {
    if (updating_) return;
    // What was chosen before keeps its place in the order; the newly chosen come after.
    std::vector<PartId> ids, now;
    for (const QListWidgetItem* item : list_->selectedItems())
      now.push_back(item->data(part_id).value<PartId>());
    for (PartId id : session_.selection())
      if (std::find(now.begin(), now.end(), id) != now.end()) ids.push_back(id);
    for (PartId id : now)
      if (std::find(ids.begin(), ids.end(), id) == ids.end()) ids.push_back(id);
    session_.select(ids);
  });
  connect(list_, &QListWidget::itemChanged, this, [this](QListWidgetItem* item) {
    if (updating_) return;
    const auto id = item->data(part_id).value<PartId>();
    const std::string name = item->text().trimmed().toStdString();
    if (name.empty() || name == session_.job().at(id).name) return rebuild();
    const std::string free = session_.job().free_name(name);
    if (!session_.commit(tr("rename"), edit::change_unlocked(session_.job(), id, [&](Part& p) { p.name = free; }))) rebuild();
  });
  connect(list_, &PartList::moved, this, [this](const std::vector<PartId>& parts, int to) {
    // Tools are not in the list; parts are put in the list's order, tools after them.
    std::vector<PartId> order;
    const auto is_moved = [&](PartId id) { return std::find(parts.begin(), parts.end(), id) != parts.end(); };
    for (int row = 0; row <= list_->count(); ++row) {
      if (row == to) order.insert(order.end(), parts.begin(), parts.end());
      if (row < list_->count() && !is_moved(list_->part_at(row))) order.push_back(list_->part_at(row));
    }
    Job job = session_.job();
    for (std::size_t place = 0; place < order.size(); ++place) job = edit::reorder_part(job, order[place], place);
    session_.commit(tr("reorder parts"), job);
  });
  connect(list_, &QWidget::customContextMenuRequested, this,
          [this](const QPoint& at) { emit menu_wanted(list_->viewport()->mapToGlobal(at)); });
  connect(&session_, &Session::job_changed, this, [this](bool live) {
    if (!live) rebuild();
  });
  connect(&session_, &Session::selection_changed, this, &PartsPanel::show_selection);
  connect(&session_, &Session::result_changed, this, &PartsPanel::refresh);
  connect(&session_, &Session::standing_changed, this, &PartsPanel::refresh_states);
  refresh_sets();
}

void PartsPanel::rename_chosen() {
  for (int row = 0; row < list_->count(); ++row)
    if (list_->item(row)->data(part_id).value<PartId>() == session_.chosen())
      list_->editItem(list_->item(row));
}

/// A search and a set list tools as well.
bool PartsPanel::lists(const Part& part) const {
  const QString words = search_->text().trimmed();
  const PartSet* set = session_.job().find_set(set_);
  if (set != nullptr && std::find(set->parts.begin(), set->parts.end(), part.id) == set->parts.end()) return false;
  if (!words.isEmpty()) return QString::fromStdString(part.name).contains(words, Qt::CaseInsensitive);
  return set != nullptr || !session_.job().is_tool(part.id);
}

void PartsPanel::refresh_sets() {
  if (session_.job().find_set(set_) == nullptr) set_ = 0;
  const QSignalBlocker quiet(sets_);
  sets_->clear();
  sets_->addItem(tr("All parts"), 0u);
  for (const PartSet& set : session_.job().sets) {
    sets_->addItem(tr("%1 · set of %2").arg(QString::fromStdString(set.name)).arg(set.parts.size()), set.id);
    if (set.id == set_) sets_->setCurrentIndex(sets_->count() - 1);
  }
  sets_->setVisible(!session_.job().sets.empty());
  set_menu_->setVisible(set_ != 0);
}

void PartsPanel::make_set() {
  SetId made = 0;
  const std::size_t parts = session_.selection().size();
  session_.commit(tr("keep together"), edit::add_set(session_.job(), "Set", session_.selection(), &made));
  set_ = made;
  rebuild();
  session_.say(tr("%1 parts kept together; ⋮ beside the set renames it and makes it a tray").arg(parts));
}

void PartsPanel::fill_set_menu(QMenu& menu) {
  const PartSet* set = session_.job().find_set(set_);
  if (set == nullptr) return;
  const auto change = [this](const QString& label, const std::function<void(PartSet&)>& how) { session_.commit(label, edit::change_set(session_.job(), set_, how)); };
  menu.addAction(tr("Rename"), this, [this, change, name = set->name] {
    bool good = false;
    const QString text = QInputDialog::getText(this, tr("Rename set"), tr("Name of the set"), QLineEdit::Normal, QString::fromStdString(name), &good).trimmed();
    if (good && !text.isEmpty()) change(tr("rename the set"), [&](PartSet& s) { s.name = text.toStdString(); });
  });
  menu.addAction(tr("Add the chosen parts"), this, [this, change] {
    change(tr("add to the set"), [this](PartSet& s) { s.parts.insert(s.parts.end(), session_.selection().begin(), session_.selection().end()); });
  });
  menu.addAction(tr("Take the chosen parts out"), this, [this, change] {
    change(tr("take out of the set"), [this](PartSet& s) {
      std::erase_if(s.parts, [this](PartId id) { return std::find(session_.selection().begin(), session_.selection().end(), id) != session_.selection().end(); });
    });
  });
  // A tray of whichever other part combines already.
  QMenu* trays = menu.addMenu(tr("Use as a tray of"));
  for (const PartPtr& part : session_.job().parts) {
    if (std::find(set->parts.begin(), set->parts.end(), part->id) != set->parts.end() || session_.job().is_tool(part->id)) continue;
    trays->addAction(QString::fromStdString(part->name), this, [this, id = part->id] {
      StepId step = 0;
      for (const Step& s : session_.job().at(id).recipe)
        if (s.kind == &steps::combine) step = s.id;
      Result<Job> job = session_.job();
      if (step == 0) job = edit::add_step(*job, id, new_step(steps::combine), &step);
      if (job) job = edit::add_set_tray(*job, step, set_, Operation::difference);
      if (session_.commit(tr("use the set as a tray"), job)) session_.select({id});
    });
  }
  menu.addAction(tr("Dissolve the set"), this, [this] { session_.commit(tr("dissolve the set"), edit::remove_set(session_.job(), set_)); });
}

void PartsPanel::rebuild() {
  refresh_sets();
  updating_ = true;
  list_->set_ordered(search_->text().trimmed().isEmpty() && set_ == 0);
  list_->clear();
  for (const PartPtr& part : session_.job().parts) {
    if (!lists(*part)) continue;
    auto* item = new QListWidgetItem(QString::fromStdString(part->name));
    item->setFlags(item->flags() | Qt::ItemIsEditable);
    item->setData(part_id, part->id);
    item->setData(hidden, !part->visible);
    item->setData(locked, part->locked);
    show_state(*item);
    list_->addItem(item);
  }
  updating_ = false;
  show_selection();
}

void PartsPanel::refresh(PartId id) {
  updating_ = true;
  for (int row = 0; row < list_->count(); ++row)
    if (list_->item(row)->data(part_id).value<PartId>() == id) show_state(*list_->item(row));
  updating_ = false;
}

void PartsPanel::refresh_states() {
  updating_ = true;
  for (int row = 0; row < list_->count(); ++row) show_state(*list_->item(row));
  updating_ = false;
}

void PartsPanel::show_state(QListWidgetItem& item) {
  const PartId id = item.data(part_id).value<PartId>();
  const PartResult r = session_.result(id);
  QString state = QStringLiteral("waiting"), count;
  if (r.evaluated && r.evaluated->drawable)
    count = r.evaluated->mesh->cloud ? tr("%L1 points").arg(r.evaluated->mesh->positions.size()) : QStringLiteral("%L1").arg(r.evaluated->drawable->triangles.size() / 3);
  if (r.report) state = r.report->points > 0 ? QStringLiteral("cloud") : r.report->sound ? QStringLiteral("sound") : QStringLiteral("unsound");
  const Standing standing = session_.standing(id);
  if (standing == Standing::being_made) state = QStringLiteral("waiting");
  if (standing == Standing::stopped) state = QStringLiteral("stopped");
  if (standing == Standing::failed) state = QStringLiteral("unsound");
  item.setData(count_text, count);
  item.setData(state_icon, state);
  const QString words = r.report ? QString::fromStdString(verdict(*r.report)) : QString();
  item.setToolTip(standing == Standing::current ? words : words.isEmpty() ? in_words(standing) : tr("%1; it was: %2").arg(in_words(standing), words));
}

void PartsPanel::show_selection() {
  updating_ = true;
  const std::set<PartId> chosen(session_.selection().begin(), session_.selection().end());
  QItemSelection rows;  // all at once, those beside each other as one range
  int first = -1;
  for (int row = 0; row <= list_->count(); ++row) {
    const QListWidgetItem* item = list_->item(row);
    const auto id = item == nullptr ? PartId{0} : item->data(part_id).value<PartId>();
    const bool is_chosen = chosen.contains(id);
    if (is_chosen && first < 0) first = row;
    if (!is_chosen && first >= 0) {
      rows.select(list_->model()->index(first, 0), list_->model()->index(row - 1, 0));
      first = -1;
    }
    if (item != nullptr && id == session_.chosen()) list_->setCurrentRow(row, QItemSelectionModel::NoUpdate);
  }
  list_->selectionModel()->select(rows, QItemSelectionModel::ClearAndSelect);
  updating_ = false;
}

}  // namespace anvil::app
