// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/view/view_widget.h"

#include <QPainter>
#include <cmath>

#include "app/theme.h"
#include "app/view/markers.h"
#include "app/view/overlay.h"
#include "app/view/region_labels.h"
#include "app/view/scene.h"

namespace anvil::app {
namespace {

constexpr std::size_t max_markers = 400;  // of one family
constexpr std::size_t max_vertices = 2000;  // painted one by one
constexpr double isolated_share = 0.08;  // of a part's size: the least that stays around a place
constexpr std::size_t many_triangles = 20'000;
constexpr int milliseconds_a_turn = 12;  // of drawing at a heavy still picture between two turns of the event loop

}  // namespace

ViewWidget::ViewWidget(Session& session, QWidget* parent) : QWidget(parent), session_(session) {
  setObjectName(QStringLiteral("view"));
  setAccessibleName(tr("View of the job"));
  setFocusPolicy(Qt::StrongFocus);
  setMouseTracking(true);
  setAttribute(Qt::WA_OpaquePaintEvent);
  setMinimumSize(320, 240);
  connect(&rig_, &CameraRig::moved, this, &ViewWidget::camera_moved);
  connect(&pointer_, &Pointer::camera_moved, this, &ViewWidget::camera_moved);
  connect(&pointer_, &Pointer::changed, this, qOverload<>(&ViewWidget::update));
  connect(&pointer_, &Pointer::hint_changed, this, [this] { emit hint_changed(hint()); });
  still_timer_.setSingleShot(true);
  still_timer_.setInterval(0);
  connect(&still_timer_, &QTimer::timeout, this, &ViewWidget::advance_still);
  settle_.setSingleShot(true);
  settle_.setInterval(160);
  connect(&settle_, &QTimer::timeout, this, [this] {
    if (pointer_.moving_camera()) return settle_.start();  // the hand may go on
    style_.moving = false;
    update();
  });
  connect(&session_, &Session::job_changed, this, [this](bool live) {
    if (!live && session_.job().parts.empty()) fit_when_ready_ = true;
    update();
    emit hint_changed(hint());
  });
  connect(&session_, &Session::selection_changed, this, [this] {
    forget_place();
    update();
    emit hint_changed(hint());
  });
  connect(&session_, &Session::results_changed, this, [this] {
    const Box3 scene = scene_box(session_, pointer_.filter);
    if (fit_when_ready_ && !scene.empty()) {
      bool all_there = true;
      for (PartId id : shown_parts(session_, pointer_.filter)) all_there = all_there && session_.result(id).evaluated;
      rig_.jump_to_fit(scene);
      if (all_there) fit_when_ready_ = false;
    }
    update();
  });
  connect(&session_, &Session::standing_changed, this, [this] { update(); });
  connect(&session_, &Session::active_step_changed, this, [this] {
    pointer_.forget_handle();
    update();
    emit hint_changed(hint());
  });
  connect(&session_, &Session::smooth_look_changed, this, qOverload<>(&ViewWidget::update));
  connect(&session_.region_look(), &RegionLook::changed, this, [this] {
    update();
    emit hint_changed(hint());
  });
  connect(&session_.finding(), &Finding::changed, this, qOverload<>(&ViewWidget::update));
  connect(&session_.chooser(), &Chooser::changed, this, [this] {
    pointer_.forget_handle();
    update();
    emit hint_changed(hint());
  });
  connect(&session_, &Session::pick_requested, &pointer_, &Pointer::pick_points);
  connect(&pointer_, &Pointer::tool_menu_wanted, this, &ViewWidget::tool_menu_wanted);
  connect(&session_, &Session::fly_requested, this, &ViewWidget::fly_to);
}

ViewWidget::~ViewWidget() = default;

// Cameras -----------------------------------------------------------------------------------------------

void ViewWidget::resizeEvent(QResizeEvent* event) {
  rig_.set_size(size());
  QWidget::resizeEvent(event);
}

void ViewWidget::look(Direction direction) {
  if (rig_.four()) pointer_.set_picture(0);
  rig_.look(pointer_.picture(), direction);
}

void ViewWidget::fit_all() {
  const Box3 box = scene_box(session_, pointer_.filter);
  for (std::size_t k = 0; k < rig_.count(); ++k)
    if (k != pointer_.picture()) rig_.camera(k).fit(box, rig_.area(k).size());
  rig_.fit(pointer_.picture(), box);
}

void ViewWidget::fit_selection() {
  const Box3 box = selection_box(session_);
  if (box.empty()) return fit_all();
  for (std::size_t k = 0; k < rig_.count(); ++k)
    if (k != pointer_.picture()) rig_.camera(k).fit(box, rig_.area(k).size());
  rig_.fit(pointer_.picture(), box);
}

void ViewWidget::fly_to(PartId part, const Place& place) {
  if (session_.job().find(part) == nullptr) return;
  place_ = {part, place};
  const Affine world = session_.job().world_of(part);
  const Vec3 at = world * place.position;
  const double size = session_.world_bounds(part).diagonal();
  const double radius =
      std::max(place.radius * std::cbrt(std::abs(world.linear().determinant())), 0.02 * size);
  Box3 box;
  box.add(at - Vec3::Constant(radius));
  box.add(at + Vec3::Constant(radius));
  rig_.fit(pointer_.picture(), box, 1.6);
  emit hint_changed(hint());
}

void ViewWidget::show_measure(const std::array<Vec3, 2>& ends) {
  measure_ = ends;
  update();
}

void ViewWidget::forget_place() {
  place_.reset();
  measure_.reset();
  emit hint_changed(hint());
  update();
}

void ViewWidget::camera_moved() {
  style_.moving = true;
  settle_.start();
  update();
}

void ViewWidget::set_four(bool four) {
  pointer_.set_picture(0);
  rig_.set_four(four, scene_box(session_, pointer_.filter));
  emit style_changed();
  update();
}

void ViewWidget::set_parallel(bool parallel) {
  rig_.camera(0).parallel = parallel;
  emit style_changed();
  update();
}

void ViewWidget::set_render_style(RenderStyle look) {
  style_.style = look;
  emit style_changed();
  update();
}

void ViewWidget::set_bare(bool bare) {
  pointer_.filter.bare = bare;
  emit style_changed();
  update();
}

void ViewWidget::set_tool_markers(bool markers) {
  pointer_.tool_markers = markers;
  emit style_changed();
  update();
}

void ViewWidget::set_chosen_ghosts_only(bool only) {
  pointer_.filter.chosen_ghosts_only = only;
  emit style_changed();
  update();
}

void ViewWidget::set_belonging(bool belonging) {
  belonging_ = belonging;
  emit style_changed();
  update();
}

void ViewWidget::set_marks(bool marks) {
  marks_ = marks;
  emit style_changed();
  update();
}

void ViewWidget::set_marks_through(bool through) {
  marks_through_ = through;
  emit style_changed();
  update();
}

void ViewWidget::set_isolated(bool isolated) {
  isolated_ = isolated;
  emit style_changed();
  update();
}

void ViewWidget::set_deviation_map(bool map) {
  deviation_map_ = map;
  emit style_changed();
  update();
}

void ViewWidget::set_handle_mode(HandleMode mode) {
  pointer_.handle_mode = mode;
  emit style_changed();
  update();
}

QPointF ViewWidget::pixel_of(const Vec3& point) const {
  QPointF pixel;
  rig_.picture(0).at(point, pixel);
  return pixel;
}

QPointF ViewWidget::handle_pixel(int handle) const {
  const Handles handles = pointer_.handles_in(rig_.picture(0));
  QPointF centre;
  rig_.picture(0).at(handles.pivot(), centre);
  for (int radius = 30; radius < 90; radius += 4)
    for (int step = 0; step < 360; step += 3) {
      const QPointF p = centre + radius * QPointF(std::cos(step * M_PI / 180), std::sin(step * M_PI / 180));
      if (handles.hit(p) == handle) return p;
    }
  return {};
}

std::optional<QPointF> ViewWidget::marker_pixel(PartId tool) const {
  for (const ToolMarker& marker : pointer_.markers_in(rig_.picture(0)).all)
    if (marker.use.tool == tool) return marker.box.center();
  return std::nullopt;
}

// Drawing -----------------------------------------------------------------------------------------------

void ViewWidget::showEvent(QShowEvent* event) {
  QWidget::showEvent(event);
  if (tried_) return;
  tried_ = true;
  usable_ = scene_.initialise();
  if (!usable_) QMetaObject::invokeMethod(this, &ViewWidget::unusable, Qt::QueuedConnection);
}

void ViewWidget::advance_still() {
  if (!usable_ || style_.moving) return;
  if (scene_.advance(milliseconds_a_turn)) update();
  if (scene_.unfinished()) still_timer_.start();
}

void ViewWidget::paintEvent(QPaintEvent*) {
  QPainter painter(this);
  if (!usable_) return painter.fillRect(rect(), theme::view_bottom);
  style_.pixel_ratio = devicePixelRatioF();
  style_.grid_step = rig_.grid_step();
  style_.grid = !pointer_.filter.bare;
  style_.marks = marks_ && !pointer_.filter.bare;
  Box3 scene = scene_box(session_, pointer_.filter);
  const double reach = 24 * style_.grid_step;
  scene.add(rig_.camera(0).focus - Vec3(reach, reach, 0));
  scene.add(rig_.camera(0).focus + Vec3(reach, reach, 0));
  std::vector<const Drawable*> alive;
  for (const PartPtr& part : session_.job().parts)
    if (const PartResult r = session_.result(part->id); r.evaluated) alive.push_back(r.evaluated->drawable.get());
  std::vector<DrawItem> items = draw_items(session_, pointer_.filter);
  for (DrawItem& item : items) item.mapped = deviation_map_ && !item.drawable->deviation.empty() && !item.ghost;
  for (const DrawItem& item : items) alive.push_back(item.drawable.get());
  for (DrawItem& item : chosen_items(session_)) {
    alive.push_back(item.drawable.get());
    items.push_back(std::move(item));
  }
  if (isolated_ && place_ && session_.job().find(place_->first) != nullptr) {
    const double radius = std::max(3 * place_->second.radius, isolated_share * session_.world_bounds(place_->first).diagonal());
    for (DrawItem& item : items) item.kept = KeptBall{session_.job().world_of(place_->first) * place_->second.position, radius};
  }
  // While parts are dragged every result is to be seen at once: a large one is drawn as while the camera moves.
  FrameStyle style = style_;
  std::size_t triangles = 0;
  for (const DrawItem& item : items) triangles += item.drawable->triangle_list.triangles.size() + item.drawable->point_count();
  style.moving = style.moving || (pointer_.dragging() && triangles > many_triangles);
  painter.drawImage(rect(), scene_.paint(rig_, items, scene, style, size(), alive));
  if (scene_.unfinished() && !style_.moving) still_timer_.start();
  for (std::size_t k = 0; k < rig_.count(); ++k) paint_overlay(painter, k);
  QMetaObject::invokeMethod(this, &ViewWidget::painted, Qt::QueuedConnection);
  QMetaObject::invokeMethod(
      &session_, [this, received = session_.received()] { session_.note_shown(received); }, Qt::QueuedConnection);
}

/// What is shown of a part where it is not what its recipe asks for, in words; empty where it is.
static QString shown_instead(const Session& session, PartId part) {
  const PartResult r = session.result(part);
  if (session.job().find(part) == nullptr || !r.evaluated) return {};
  const QString name = QString::fromStdString(session.job().at(part).name);
  if (session.standing(part) == Standing::stopped) return ViewWidget::tr("%1 is shown as it was before it was stopped").arg(name);
  if (session.standing(part) == Standing::being_made && r.report) return ViewWidget::tr("%1 is being made; it is shown as it was").arg(name);
  if (r.trouble() == nullptr) return {};
  if (r.issue) return ViewWidget::tr("%1 is shown as it was before the last change").arg(name);
  const Job::Found failed = session.job().find_step(r.cast.step(r.evaluated->error_step));
  if (!failed) return {};
  return ViewWidget::tr("%1 is shown as it is before the step %2").arg(QString::fromStdString(failed.part->name), QString::fromStdString(failed.step->shown_name()));
}

void ViewWidget::paint_overlay(QPainter& painter, std::size_t index) {
  const Picture here = rig_.picture(index);
  painter.save();
  painter.setClipRect(here.area);
  const Job& job = session_.job();
  if (rig_.four()) {
    painter.setPen(QPen(theme::line, 1));
    painter.drawRect(here.area.adjusted(0, 0, -1, -1));
    painter.setPen(theme::faint_ink);
    // The buttons float over the outer corners: names stand at the inner ends, by the line between the rows.
    const bool upper = here.area.top() < 1;
    const QString name = rig_.name(index);
    painter.drawText(here.area.adjusted(14, 10, 0, -10),
                     Qt::AlignLeft | (upper ? Qt::AlignBottom : Qt::AlignTop), name);
  }
  if (!pointer_.filter.bare) {
    if (index == 0) {
      const QString label = tr("grid %1 mm").arg(style_.grid_step);
      QRectF box(here.area.left() + 8, here.area.bottom() - 31, painter.fontMetrics().horizontalAdvance(label) + 12, 22);
      painter.setPen(Qt::NoPen);
      painter.setBrush(QColor(255, 255, 255, 150));
      painter.drawRoundedRect(box, 11, 11);
      painter.setPen(theme::faint_ink);
      painter.setBrush(Qt::NoBrush);
      painter.drawText(box, Qt::AlignCenter, label);
      if (session_.smooth_levels() > 0) {
        const bool there = session_.smooth_look(session_.recipe_owner()) != nullptr;
        paint_tag(painter, box.topRight() + QPointF(8, 11), there ? session_.smooth_levels() == 1 ? tr("smooth look, once") : tr("smooth look, twice") : tr("smooth look is not made"), theme::ink);
      }
    }
    const PartId owner = session_.recipe_owner();
    if (const QString older = shown_instead(session_, owner); index == 0 && !older.isEmpty()) paint_tag(painter, here.area.topLeft() + QPointF(14, 68), older, theme::defect);
    if (!style_.moving) paint_region_labels(painter, place_region_labels(session_, here, font()));
    paint_marks(painter, here, index);
    if (measure_) paint_measure(painter, here, *measure_);
    if (place_ && job.find(place_->first) != nullptr)
      paint_place(painter, here, place_->second, job.world_of(place_->first));
    if (belonging_) paint_belonging(painter, here, session_);
    if (!rig_.four()) paint_tool_markers(painter, here, pointer_.markers_in(here), pointer_.under_marker());
    if (const auto plane = work_plane(session_)) paint_plane(painter, here, *plane);
    paint_vertices(painter, here);
    pointer_.paint(painter, index);
    painter.setFont(font());
    // Above the handles' names, which stand where they like.
    if (const PartResult r = session_.result(owner); deviation_map_ && r.evaluated && r.evaluated->comparison() != nullptr && job.find(owner) != nullptr)
      paint_deviation(painter, here, here.area.bottomLeft() + QPointF(8, -40), *r.evaluated->comparison(), job.world_of(owner));
  }
  if (job.parts.empty()) {
    painter.setPen(theme::faint_ink);
    QFont font = painter.font();
    font.setPixelSize(15);
    painter.setFont(font);
    painter.drawText(
        here.area, Qt::AlignCenter,
        tr("Drop a mesh file here, or make a shape:\nB makes a box, C a cylinder, Ctrl+K finds everything else."));
  }
  painter.restore();
}

/// Markers of the part whose recipe is shown, and in the first picture what they mean.
void ViewWidget::paint_marks(QPainter& painter, const Picture& here, std::size_t index) {
  const PartId owner = session_.recipe_owner();
  const Part* part = session_.job().find(owner);
  const PartResult r = session_.result(owner);
  const Finding& finding = session_.finding();
  const ReportPtr report = finding.report(owner);
  if (!marks_ || part == nullptr || !part->visible || !report || !r.evaluated->drawable) return;
  const Affine world = session_.job().world_of(owner);
  const auto markers = place_markers(here, *report, world, [&](const Family& f) { return finding.lists(f); }, [&](const Defect& d) { return is_seen(*r.evaluated, world, here, d.position, d.size); }, max_markers);
  paint_markers(painter, markers, marks_through_);
  const double raised = deviation_map_ ? 104 : 40;
  if (index == 0 && !rig_.four()) paint_marker_legend(painter, here.area.bottomLeft() + QPointF(8, -raised), markers, marks_through_);
}

/// The vertices that can be chosen, where they are not too many to tell apart, and those that are.
void ViewWidget::paint_vertices(QPainter& painter, const Picture& here) {
  Chooser& chooser = session_.chooser();
  if (!chooser.on() || chooser.chosen().kind != ElementKind::vertices || chooser.topology() == nullptr || !chooser.evaluated()->drawable) return;
  if (session_.job().find(chooser.part()) == nullptr || session_.smooth_look(chooser.part())) return;
  const Mesh& mesh = *chooser.evaluated()->mesh;
  const Affine world = session_.job().world_of(chooser.part());
  const ElementView view(*chooser.evaluated(), *chooser.topology(), world, here, chooser.through());
  const auto paint = [&](Index v, bool chosen) {
    QPointF at;
    if (here.at(world * mesh.positions[v], at) && here.area.contains(at) && (chooser.through() || view.is_visible(mesh.positions[v]))) paint_vertex(painter, at, chosen);
  };
  if (mesh.positions.size() <= max_vertices && !style_.moving)
    for (Index v = 0; v < mesh.positions.size(); ++v) paint(v, false);
  for (std::size_t k = 0; k < std::min(chooser.chosen().size(), max_vertices); ++k) paint(chooser.chosen().list[k], true);
}

// Pointer and keys ----------------------------------------------------------------------------------------

void ViewWidget::mousePressEvent(QMouseEvent* event) {
  setFocus(Qt::MouseFocusReason);
  pointer_.press(*event);
}

void ViewWidget::mouseMoveEvent(QMouseEvent* event) { pointer_.move(*event); }

void ViewWidget::mouseReleaseEvent(QMouseEvent* event) { pointer_.release(*event); }

void ViewWidget::wheelEvent(QWheelEvent* event) { pointer_.wheel(*event); }

void ViewWidget::keyPressEvent(QKeyEvent* event) {
  if (!pointer_.key(*event)) QWidget::keyPressEvent(event);
}

bool ViewWidget::event(QEvent* event) {
  // While dragging, digits are a distance and not the shortcuts of the views.
  // While something is dragged or drawn, numbers belong to it.
  const auto* key = event->type() == QEvent::ShortcutOverride ? static_cast<QKeyEvent*>(event) : nullptr;
  if (key != nullptr && (pointer_.dragging() || ((pointer_.drawing() || pointer_.picking_path()) && key->key() != Qt::Key_Escape && key->modifiers() == Qt::NoModifier))) {
    event->accept();
    return true;
  }
  return QWidget::event(event);
}

QString ViewWidget::hint() const {
  if (const QString doing = pointer_.doing(); !doing.isEmpty()) return doing;
  if (place_ && !pointer_.choosing()) return QString::fromStdString(place_->second.text) + tr(" · N: next place · Escape: done");
  if (pointer_.on_handle()) return tr("Drag the handle, or type a number while dragging for an exact amount");
  if (!work_plane(session_) && !placed_grips(session_).empty()) return tr("Drag a bar to change its number, or type one while dragging · Escape: done");
  if (work_plane(session_)) return tr("Drag the arrow to move the plane, a ring to tilt it, or type a number while dragging · Escape: done");
  if (!session_.region_look().regions(session_.recipe_owner()).empty()) return tr("Click a number: choose the faces of its region · Shift: more · Ctrl: fewer");
  const std::size_t n = session_.selection().size();
  if (session_.job().parts.empty()) return tr("Bring in a mesh file or make a shape to begin");
  const QString camera = pointer_.scheme == MouseScheme::touchpad
                             ? tr("two fingers: orbit · Shift: pan · Ctrl: zoom")
                             : tr("right drag: orbit · Shift+right drag: pan · wheel: zoom");
  if (n == 0) return tr("Click: choose a part · ") + camera;
  if (n == 1)
    return tr("Drag: move it · Shift: one direction · Alt: snap · Ctrl+click another part to combine · ") +
           camera;
  QString tools = QString::fromStdString(session_.job().at(session_.selection()[1]).name);
  if (n > 2) tools += tr(" and %1 more").arg(n - 2);
  return tr("Kept: %1 · tool: %2 · U union, D difference, I intersection")
      .arg(QString::fromStdString(session_.job().at(session_.chosen()).name), tools);
}

}  // namespace anvil::app
