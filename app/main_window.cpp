// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/main_window.h"

#include <QApplication>
#include <QButtonGroup>
#include <QCloseEvent>
#include <QDir>
#include <QDropEvent>
#include <QFileInfo>
#include <QMenu>
#include <QMessageBox>
#include <QMimeData>
#include <QPushButton>
#include <QSettings>
#include <QSplitter>
#include <utility>

#include "app/cards/row_menu.h"
#include "app/stations/desk.h"
#include "app/theme.h"

namespace anvil::app {
namespace {

constexpr int autosave_seconds = 20;
constexpr double shown_after = 0.3;  // seconds before progress and Stop appear

int autosave_interval() {
  return std::max(1, QSettings().value(QStringLiteral("autosave_seconds"), autosave_seconds).toInt());
}

}  // namespace

MainWindow::MainWindow() {
  setAcceptDrops(true);
  setWindowTitle(tr("Clean Anvil"));
  autosave_ = new Autosave(session_, autosave_interval(), this);
  view_ = new ViewWidget(session_);
  autosave_->set_picture([this] { return view_->isVisible() ? view_->picture() : QImage(); });
  parts_ = new PartsPanel(session_);
  recipe_ = new RecipePanel(session_);
  rail_ = new RailPanel(session_);
  files_ = new JobFiles(session_, *autosave_, this);
  Desk desk{*this, session_, book_, *view_, *rail_, *parts_, *files_};
  for (const auto add_verbs : {add_stock_verbs, add_combine_verbs, add_shape_verbs, add_mend_verbs, add_recast_verbs, add_hand_verbs, add_job_verbs, add_release_verbs,
                               add_edit_verbs, add_view_verbs, add_window_verbs})
    add_verbs(desk);

  auto* whole = new QWidget;
  auto* layout = new QVBoxLayout(whole);
  layout->setContentsMargins(0, 0, 0, 0);
  layout->setSpacing(0);
  layout->addWidget(build_top_bar());
  columns_ = new QSplitter(Qt::Horizontal);
  columns_->setHandleWidth(1);
  left_ = new QSplitter(Qt::Vertical);
  left_->setObjectName(QStringLiteral("left_column"));
  left_->setHandleWidth(1);
  left_->addWidget(parts_);
  left_->addWidget(recipe_);
  left_->setSizes({190, 470});
  rail_->setObjectName(QStringLiteral("right_column"));
  rail_->setAttribute(Qt::WA_StyledBackground);
  columns_->addWidget(left_);
  columns_->addWidget(build_centre());
  columns_->addWidget(rail_);
  columns_->setStretchFactor(1, 1);
  columns_->setSizes({300, 700, 280});
  columns_->setChildrenCollapsible(false);
  left_->setMinimumWidth(250);
  rail_->setMinimumWidth(240);
  layout->addWidget(columns_, 1);
  layout->addWidget(build_bottom_line());
  setCentralWidget(whole);
  resize(1280, 800);

  connect(&session_, &Session::job_changed, this, &MainWindow::refresh);
  connect(&session_, &Session::selection_changed, this, &MainWindow::refresh);
  connect(&session_, &Session::results_changed, &book_, &VerbBook::refresh);
  connect(&session_, &Session::complained, troubles_, &TroubleList::tell);
  connect(&session_, &Session::remedies_offered, troubles_, &TroubleList::offer);
  connect(&session_, &Session::said, this, [this](const QString& text) {
    hint_->setText(text);
    message_timer_.start();
  });
  message_timer_.setSingleShot(true);
  message_timer_.setInterval(5000);
  connect(&message_timer_, &QTimer::timeout, this, [this] { hint_->setText(view_->hint()); });
  connect(view_, &ViewWidget::hint_changed, this, [this](const QString& hint) {
    if (!message_timer_.isActive()) hint_->setText(hint);
  });
  connect(view_, &ViewWidget::style_changed, &book_, &VerbBook::refresh);
  connect(view_, &ViewWidget::unusable, this, [this] {
    QMessageBox::critical(
        this, tr("Clean Anvil"),
        tr("Clean Anvil needs OpenGL 3.3, which this display does not offer.\n"
           "Install a graphics driver, or Mesa's software renderer (package libgl1-mesa-dri)."));
    QApplication::exit(3);
  });
  connect(&session_, &Session::active_step_changed, &book_, &VerbBook::refresh);
  // Elements are chosen by hand in the Mend and the Shape station only.
  connect(&session_.chooser(), &Chooser::changed, this, [this] {
    if (session_.chooser().on() && book_.station() != Station::mend && book_.station() != Station::shape) set_station(Station::mend);
    if (std::exchange(choosing_, session_.chooser().on()) == choosing_) return;
    message_timer_.stop();  // what was said before is of another kind of work
    hint_->setText(view_->hint());
  });
  connect(files_, &JobFiles::job_opened, this, [this] { set_station(Station::combine); });
  connect(files_, &JobFiles::places_wanted, this, [this] {
    set_station(Station::mend);
    rail_->show_next(1);
  });
  connect(parts_, &PartsPanel::menu_wanted, this, &MainWindow::show_part_menu);
  connect(view_, &ViewWidget::tool_menu_wanted, this, &MainWindow::show_tool_menu);
  activity_timer_.setInterval(100);
  connect(&activity_timer_, &QTimer::timeout, this, &MainWindow::show_activity);
  activity_timer_.start();
  keep_results(session_, QSettings().value(QStringLiteral("keep_results"), true).toBool());
  set_station(Station::stock);
  recall();
  refresh();
  hint_->setText(view_->hint());
}

MainWindow::~MainWindow() = default;

QWidget* MainWindow::build_top_bar() {
  auto* bar = new QWidget;
  bar->setObjectName(QStringLiteral("top_bar"));
  bar->setAttribute(Qt::WA_StyledBackground);
  bar->setFixedHeight(44);
  auto* layout = new QHBoxLayout(bar);
  layout->setContentsMargins(10, 0, 14, 0);
  job_button_ = new QToolButton;
  job_button_->setObjectName(QStringLiteral("job_menu"));
  job_button_->setAccessibleName(tr("Job menu"));
  job_button_->setToolTip(tr("New, open, save, and settings"));
  job_button_->setPopupMode(QToolButton::InstantPopup);
  job_button_->setStyleSheet(QStringLiteral("font-size: 13px; font-weight: 600;"));
  auto* menu = new QMenu(job_button_);
  for (const char* id :
       {"new_job", "open_job", "recent", "save_job", "save_job_as", "", "bring_in", "change_unit", "send_out", "send_out_visible", "",
        "undo", "redo", "changes", "", "mouse_three", "mouse_two", "mouse_touchpad", "", "keep_results", "empty_results", "", "key_sheet", "quit"})
    if (*id == '\0')
      menu->addSeparator();
    else if (std::string_view(id) == "recent")
      menu->addMenu(build_recent_menu(menu));
    else
      menu->addAction(book_.find(QLatin1String(id)));
  job_button_->setMenu(menu);
  saved_ = new QLabel;
  saved_->setObjectName(QStringLiteral("faint"));
  layout->addWidget(job_button_);
  layout->addWidget(saved_);
  layout->addStretch();
  stations_ = new QButtonGroup(this);
  for (std::size_t k = 0; k < stations.size(); ++k) {
    if (k > 0) {
      auto* arrow = new QLabel(QStringLiteral("›"));
      arrow->setObjectName(QStringLiteral("faint"));
      layout->addWidget(arrow);
    }
    auto* button = new QToolButton;
    button->setObjectName(QStringLiteral("station"));
    button->setText(QString::fromLatin1(label_of(stations[k])));
    button->setAccessibleName(tr("%1 station").arg(button->text()));
    button->setToolTip(tr("%1 station  Ctrl+%2").arg(button->text()).arg(k + 1));
    button->setCheckable(true);
    stations_->addButton(button, static_cast<int>(k));
    layout->addWidget(button);
    connect(button, &QToolButton::clicked, this, [this, k] { set_station(stations[k]); });
  }
  layout->addStretch();
  for (const char* id : {"undo", "redo", "changes"}) {
    auto* button = new QToolButton;
    button->setDefaultAction(book_.find(QLatin1String(id)));
    button->setToolButtonStyle(Qt::ToolButtonIconOnly);
    button->setAccessibleName(book_.find(QLatin1String(id))->text());
    layout->addWidget(button);
  }
  auto* find = new QToolButton;
  find->setText(tr("Find a verb  Ctrl+K"));
  find->setAccessibleName(tr("Find a verb"));
  find->setStyleSheet(QStringLiteral("color: #6B665D;"));
  connect(find, &QToolButton::clicked, book_.find(QStringLiteral("find")), &QAction::trigger);
  layout->addWidget(find);
  return bar;
}

QMenu* MainWindow::build_recent_menu(QWidget* parent) {
  auto* menu = new QMenu(tr("Recent jobs"), parent);
  menu->setObjectName(QStringLiteral("recent_jobs"));
  connect(menu, &QMenu::aboutToShow, this, [this, menu] {
    menu->clear();
    for (const QString& path : JobFiles::recent()) {
      QAction* action = menu->addAction(QFileInfo(path).completeBaseName(), this, [this, path] { files_->open_paths({path}); });
      action->setToolTip(path);
      action->setEnabled(QFileInfo::exists(path));
    }
    if (menu->isEmpty()) menu->addAction(tr("None yet"))->setEnabled(false);
  });
  menu->setToolTipsVisible(true);
  return menu;
}

QWidget* MainWindow::build_centre() {
  auto* centre = new QWidget;
  auto* layout = new QVBoxLayout(centre);
  layout->setContentsMargins(0, 0, 0, 0);
  layout->setSpacing(0);
  verb_row_ = new VerbRow(book_);
  layout->addWidget(verb_row_);
  hand_row_ = new HandRow(book_, session_.chooser());
  layout->addWidget(hand_row_);
  troubles_ = new TroubleList(session_);
  layout->addWidget(troubles_);
  layout->addWidget(view_, 1);
  auto* over = new QVBoxLayout(view_);
  over->setContentsMargins(12, 12, 12, 12);
  over->addWidget(build_pills());
  over->addStretch();
  auto* lower = new QHBoxLayout;
  auto* handles = new QFrame;
  handles->setObjectName(QStringLiteral("pill"));
  auto* row = new QHBoxLayout(handles);
  row->setContentsMargins(8, 1, 8, 1);
  row->setSpacing(2);
  for (const char* id : {"handles_move", "handles_turn", "handles_scale", "snap"}) {
    auto* button = new QToolButton;
    button->setDefaultAction(book_.find(QLatin1String(id)));
    button->setToolButtonStyle(Qt::ToolButtonTextBesideIcon);
    button->setAccessibleName(book_.find(QLatin1String(id))->text());
    if (std::string_view(id) == "snap") {
      auto* menu = new QMenu(button);
      for (const char* to : {"snap_grid", "snap_vertices", "snap_middles", "snap_faces"})
        menu->addAction(book_.find(QLatin1String(to)));
      button->setMenu(menu);
      button->setPopupMode(QToolButton::DelayedPopup);
    }
    row->addWidget(button);
  }
  lower->addStretch();
  lower->addWidget(handles);
  over->addLayout(lower);
  return centre;
}

QWidget* MainWindow::build_pills() {
  auto* row = new QWidget;
  auto* layout = new QHBoxLayout(row);
  layout->setContentsMargins(0, 0, 0, 0);
  auto pill = [&](std::initializer_list<const char*> ids) {
    auto* frame = new QFrame;
    frame->setObjectName(QStringLiteral("pill"));
    auto* inside = new QHBoxLayout(frame);
    inside->setContentsMargins(8, 1, 8, 1);
    inside->setSpacing(0);
    for (const char* id : ids) {
      auto* button = new QToolButton;
      button->setDefaultAction(book_.find(QLatin1String(id)));
      button->setToolButtonStyle(Qt::ToolButtonTextOnly);
      button->setAccessibleName(book_.find(QLatin1String(id))->text());
      inside->addWidget(button);
    }
    layout->addWidget(frame);
    return inside;
  };
  pill({"look_front", "look_back", "look_left", "look_right", "look_top", "look_bottom", "look_corner"});
  layout->addStretch();
  auto* looks = new QFrame;
  looks->setObjectName(QStringLiteral("pill"));
  auto* inside = new QHBoxLayout(looks);
  inside->setContentsMargins(8, 1, 8, 1);
  auto* button = new QToolButton;
  button->setObjectName(QStringLiteral("look_menu"));
  button->setAccessibleName(tr("How parts are drawn"));
  button->setPopupMode(QToolButton::InstantPopup);
  auto* menu = new QMenu(button);
  for (const char* id : {"draw_edges", "draw_wires", "draw_see_through", "draw_plain", "", "parallel", "four",
                         "", "bare", "tool_markers", "chosen_ghosts", "belonging", "marks"})
    if (*id == '\0')
      menu->addSeparator();
    else
      menu->addAction(book_.find(QLatin1String(id)));
  button->setMenu(menu);
  auto name = [this, button] {
    static constexpr const char* names[] = {"shaded · edges ▾", "shaded · wires ▾", "see-through ▾",
                                            "shaded ▾"};
    button->setText(QString::fromUtf8(names[static_cast<int>(view_->render_style())]));
  };
  connect(view_, &ViewWidget::style_changed, button, name);
  name();
  inside->addWidget(button);
  layout->addWidget(looks);
  return row;
}

QWidget* MainWindow::build_bottom_line() {
  auto* line = new QWidget;
  line->setObjectName(QStringLiteral("bottom_line"));
  line->setAttribute(Qt::WA_StyledBackground);
  line->setFixedHeight(32);
  auto* layout = new QHBoxLayout(line);
  layout->setContentsMargins(16, 0, 12, 0);
  hint_ = new QLabel;
  hint_->setObjectName(QStringLiteral("hint"));
  hint_->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Preferred);
  activity_ = new QLabel;
  activity_->setObjectName(QStringLiteral("activity"));
  stop_ = new QPushButton(tr("Stop"));
  stop_->setObjectName(QStringLiteral("stop"));
  connect(stop_, &QPushButton::clicked, this, [this] { session_.stop_work(); });
  stop_->hide();
  layout->addWidget(hint_, 1);
  layout->addWidget(activity_);
  layout->addWidget(stop_);
  return line;
}

void MainWindow::set_station(Station station) {
  for (std::size_t k = 0; k < stations.size(); ++k)
    stations_->button(static_cast<int>(k))->setChecked(stations[k] == station);
  book_.set_station(station);
  verb_row_->set_station(station);
  const bool by_hand = station == Station::mend || station == Station::shape;
  hand_row_->setVisible(by_hand);
  if (!by_hand) session_.chooser().stop();
}

void MainWindow::refresh() {
  troubles_->drop_remedies_of_older_jobs();
  book_.refresh();
  const QString title = session_.path().empty() ? QString::fromStdString(session_.job().title)
                                                : QString::fromStdString(session_.path().stem().string());
  job_button_->setText(title + QStringLiteral("  ▾"));
  const bool is_saved = session_.history().saved();
  saved_->setText(!session_.read_only().isEmpty() ? is_saved ? tr("read only") : tr("read only · not saved")
                  : !is_saved                     ? tr("not saved")
                  : session_.path().empty()       ? QString()
                                                  : tr("saved"));
  saved_->setToolTip(session_.read_only().isEmpty() ? QString() : tr("This job %1. Save it under another name to keep changes.").arg(session_.read_only()));
  setWindowTitle(tr("%1 · Clean Anvil").arg(title));
}

void MainWindow::show_activity() {
  const Evaluator::Activity now = session_.activity();
  recipe_->show_activity(now);
  const bool show = !now.what.empty() && now.seconds > shown_after;
  stop_->setVisible(show);
  if (show) {
    const QString share =
        now.progress > 0 ? QStringLiteral(" · %1 %").arg(qRound(100 * now.progress)) : QString();
    activity_->setText(
        tr("%1 · %2 s%3").arg(QString::fromStdString(now.what)).arg(now.seconds, 0, 'f', 1).arg(share));
    return;
  }
  const PartResult r = session_.result(session_.recipe_owner());
  const double seconds = r.evaluated ? r.evaluated->seconds() : 0;
  activity_->setText(seconds > 0 ? tr("Made in %1 ms").arg(seconds * 1000, 0, 'f', 0) : QString());
  const RecipeRunner::Memory memory = session_.memory();
  activity_->setToolTip(tr("Results kept for undo and later: %1 MB of at most %2 MB").arg(memory.used >> 20).arg(memory.limit >> 20));
}

void MainWindow::show_part_menu(const QPoint& global) {
  QMenu menu(this);
  for (const char* id : {"rename", "duplicate", "hide", "lock", "tint", "delete", "", "union", "difference",
                         "intersection", "", "send_out", "fit_selection"})
    if (*id == '\0')
      menu.addSeparator();
    else
      menu.addAction(book_.find(QLatin1String(id)));
  menu.exec(global);
}

void MainWindow::show_tool_menu(const Job::Use& use, const QPoint& global) {
  QMenu menu(this);
  menu.setObjectName(QStringLiteral("marker_menu"));
  fill_row_menu(session_, row_of(session_.job(), use), menu);
  menu.exec(global);
}

// Life of the window ---------------------------------------------------------------------------------------

void MainWindow::closeEvent(QCloseEvent* event) {
  if (!closing_ && (!session_.history().saved() || session_.is_export_waiting())) {
    event->ignore();
    // Saving and exporting go on beside the window; it closes once that is done.
    files_->when_exports_are_done([this] {
      files_->when_discardable([this] {
        closing_ = true;
        QMetaObject::invokeMethod(this, &QWidget::close, Qt::QueuedConnection);
      });
    });
    return;
  }
  remember();
  autosave_->discard();
  event->accept();
}

void MainWindow::dragEnterEvent(QDragEnterEvent* event) {
  if (event->mimeData()->hasUrls()) event->acceptProposedAction();
}

void MainWindow::dropEvent(QDropEvent* event) {
  QStringList paths;
  for (const QUrl& url : event->mimeData()->urls())
    if (url.isLocalFile()) paths << url.toLocalFile();
  event->acceptProposedAction();
  // Questions may follow; the drag has to be over by then.
  QMetaObject::invokeMethod(
      this, [this, paths] { files_->open_paths(paths); }, Qt::QueuedConnection);
}

void MainWindow::remember() {
  QSettings settings;
  settings.setValue(QStringLiteral("window"), saveGeometry());
  settings.setValue(QStringLiteral("columns"), columns_->saveState());
  settings.setValue(QStringLiteral("left"), left_->saveState());
  settings.setValue(QStringLiteral("folder"), files_->folder());
  settings.setValue(QStringLiteral("mouse"), static_cast<int>(view_->scheme()));
}

void MainWindow::recall() {
  const QSettings settings;
  restoreGeometry(settings.value(QStringLiteral("window")).toByteArray());
  columns_->restoreState(settings.value(QStringLiteral("columns")).toByteArray());
  left_->restoreState(settings.value(QStringLiteral("left")).toByteArray());
  files_->set_folder(settings.value(QStringLiteral("folder"), QDir::homePath()).toString());
  view_->set_scheme(
      static_cast<MouseScheme>(std::clamp(settings.value(QStringLiteral("mouse"), 0).toInt(), 0, 2)));
}

}  // namespace anvil::app
