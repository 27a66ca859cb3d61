// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/view/view_widget.h"

#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>
#include <QWheelEvent>
#include <cmath>

#include "app/theme.h"
#include "app/view/overlay.h"
#include "app/view/scene.h"

namespace anvil::app {
namespace {

constexpr double drag_threshold = 4;  // pixels before a press becomes a drag
constexpr std::size_t max_markers = 400;  // of one family
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
  still_timer_.setSingleShot(true);
  still_timer_.setInterval(0);
  connect(&still_timer_, &QTimer::timeout, this, &ViewWidget::advance_still);
  settle_.setSingleShot(true);
  settle_.setInterval(160);
  connect(&settle_, &QTimer::timeout, this, [this] {
    if (gesture_ == Gesture::orbit || gesture_ == Gesture::pan) return settle_.start();  // the hand may go on
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
  connect(&session_, &Session::result_changed, this, [this](PartId) {
    const Box3 scene = scene_box(session_, bare_);
    if (fit_when_ready_ && !scene.empty()) {
      bool all_there = true;
      for (PartId id : shown_parts(session_, bare_)) all_there = all_there && session_.result(id).evaluated;
      rig_.jump_to_fit(scene);
      if (all_there) fit_when_ready_ = false;
    }
    update();
  });
  connect(&session_, &Session::active_step_changed, this, [this] {
    hot_ = -1;
    update();
    emit hint_changed(hint());
  });
  connect(&session_, &Session::pick_requested, this, &ViewWidget::pick_points);
  connect(&session_, &Session::fly_requested, this, &ViewWidget::fly_to);
}

ViewWidget::~ViewWidget() = default;

// Cameras -----------------------------------------------------------------------------------------------

void ViewWidget::resizeEvent(QResizeEvent* event) {
  rig_.set_size(size());
  QWidget::resizeEvent(event);
}

void ViewWidget::look(Direction direction) {
  if (rig_.four()) active_ = 0;
  rig_.look(active_, direction);
}

void ViewWidget::fit_all() {
  const Box3 box = scene_box(session_, bare_);
  for (std::size_t k = 0; k < rig_.count(); ++k)
    if (k != active_) rig_.camera(k).fit(box, rig_.area(k).size());
  rig_.fit(active_, box);
}

void ViewWidget::fit_selection() {
  const Box3 box = selection_box(session_);
  if (box.empty()) return fit_all();
  for (std::size_t k = 0; k < rig_.count(); ++k)
    if (k != active_) rig_.camera(k).fit(box, rig_.area(k).size());
  rig_.fit(active_, box);
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
  rig_.fit(active_, box, 1.6);
  emit hint_changed(hint());
}

void ViewWidget::forget_place() {
  place_.reset();
  update();
}

void ViewWidget::camera_moved() {
  style_.moving = true;
  settle_.start();
  update();
}

void ViewWidget::set_four(bool four) {
  active_ = 0;
  rig_.set_four(four, scene_box(session_, bare_));
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
  bare_ = bare;
  emit style_changed();
  update();
}

void ViewWidget::set_marks(bool marks) {
  marks_ = marks;
  emit style_changed();
  update();
}

void ViewWidget::set_handle_mode(HandleMode mode) {
  handles_.mode = mode;
  emit style_changed();
  update();
}

double ViewWidget::grid_step() const {
  // 1, 2 or 5 times a power of ten, about 40 pixels wide at the focus.
  const double wanted = 40 * rig_.camera(0).pixel_length(rig_.camera(0).focus, rig_.area(0).size());
  const double power = std::pow(10.0, std::floor(std::log10(std::max(wanted, 1e-9))));
  for (const double factor : {1.0, 2.0, 5.0})
    if (factor * power >= wanted) return factor * power;
  return 10 * power;
}

QPointF ViewWidget::pixel_of(const Vec3& point) const {
  QPointF pixel;
  rig_.picture(0).at(point, pixel);
  return pixel;
}

QPointF ViewWidget::handle_pixel(int handle) const {
  Handles handles = handles_;
  handles.place(session_, rig_.picture(0));
  QPointF centre;
  rig_.picture(0).at(handles.pivot(), centre);
  for (int radius = 30; radius < 90; radius += 4)
    for (int step = 0; step < 360; step += 3) {
      const QPointF p = centre + radius * QPointF(std::cos(step * M_PI / 180), std::sin(step * M_PI / 180));
      if (handles.hit(p) == handle) return p;
    }
  return {};
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
  style_.grid_step = grid_step();
  style_.grid = !bare_;
  style_.marks = marks_ && !bare_;
  Box3 scene = scene_box(session_, bare_);
  const double reach = 24 * style_.grid_step;
  scene.add(rig_.camera(0).focus - Vec3(reach, reach, 0));
  scene.add(rig_.camera(0).focus + Vec3(reach, reach, 0));
  std::vector<const Drawable*> alive;
  for (const PartPtr& part : session_.job().parts)
    if (const PartResult r = session_.result(part->id); r.evaluated) alive.push_back(r.evaluated->drawable.get());
  painter.drawImage(rect(), scene_.paint(rig_, draw_items(session_, bare_), scene, style_, size(), alive));
  if (scene_.unfinished() && !style_.moving) still_timer_.start();
  for (std::size_t k = 0; k < rig_.count(); ++k) paint_overlay(painter, k);
  QMetaObject::invokeMethod(this, &ViewWidget::painted, Qt::QueuedConnection);
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
  if (!bare_) {
    if (index == 0) {
      const QString label = tr("grid %1 mm").arg(style_.grid_step);
      QRectF box(here.area.left() + 8, here.area.bottom() - 31, painter.fontMetrics().horizontalAdvance(label) + 12, 22);
      painter.setPen(Qt::NoPen);
      painter.setBrush(QColor(255, 255, 255, 150));
      painter.drawRoundedRect(box, 11, 11);
      painter.setPen(theme::faint_ink);
      painter.setBrush(Qt::NoBrush);
      painter.drawText(box, Qt::AlignCenter, label);
    }
    const PartId owner = session_.recipe_owner();
    if (marks_ && owner != 0 && job.find(owner) != nullptr && job.at(owner).visible)
      if (const PartResult r = session_.result(owner); r.report)
        paint_markers(painter, here, *r.report, job.world_of(owner), max_markers);
    if (place_ && job.find(place_->first) != nullptr)
      paint_place(painter, here, place_->second, job.world_of(place_->first));
    for (PartId id : session_.selection()) {
      const auto use = job.use_of(id);
      if (!use || !job.at(id).visible) continue;
      const Box3 box = session_.world_bounds(id);
      QPointF at;
      if (box.empty() || !here.at(Vec3(box.centre().x(), box.centre().y(), box.hi.z()), at)) continue;
      paint_tag(painter, at + QPointF(26, -30),
                QString::fromStdString(job.at(id).name) + " " + theme::operation_sign(use->operation), theme::ink);
    }
    if (const auto plane = work_plane(session_)) paint_plane(painter, here, *plane);
    for (const PickedPoint& picked : picking_ ? picking_->points : std::vector<PickedPoint>())
      if (QPointF at; here.at(picked.point, at)) paint_spot(painter, at);
    Handles handles = handles_;
    handles.place(session_, here);
    if (index == active_) handles_ = handles;
    if (!picking_) handles.paint(painter, index == active_ ? hot_ : -1);
    if (drag_ && drag_->caught()) {
      QPointF at;
      if (here.at(*drag_->caught(), at)) paint_spot(painter, at);
    }
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

// Pointer and keys ----------------------------------------------------------------------------------------

ViewWidget::Gesture ViewWidget::camera_gesture(Qt::MouseButton button,
                                               Qt::KeyboardModifiers modifiers) const {
  if (button == Qt::MiddleButton && scheme_ == MouseScheme::three_buttons) return Gesture::pan;
  if (button == Qt::RightButton) return modifiers & Qt::ShiftModifier ? Gesture::pan : Gesture::orbit;
  return Gesture::none;
}

Vec3 ViewWidget::point_under(const QPointF& pixel) const {
  if (const auto hit = pick(targets(session_, shown_parts(session_, bare_)), rig_.ray(active_, pixel))) return hit->point;
  const Ray ray = rig_.ray(active_, pixel);
  const Camera& camera = rig_.camera(active_);
  // Nothing there: the point at the depth of the focus.
  const double depth =
      (camera.focus - ray.origin).dot(camera.forward()) / ray.direction.dot(camera.forward());
  return ray.origin + depth * ray.direction;
}

void ViewWidget::mousePressEvent(QMouseEvent* event) {
  setFocus(Qt::MouseFocusReason);
  rig_.stop_flight();
  if (gesture_ == Gesture::drag) return;  // another button during a drag changes nothing
  last_ = pressed_at_ = event->position();
  pressed_button_ = event->button();
  active_ = rig_.at(pressed_at_);
  gesture_ = camera_gesture(event->button(), event->modifiers());
  if (gesture_ != Gesture::none) {
    pivot_ = point_under(pressed_at_);
    return;
  }
  if (event->button() != Qt::LeftButton) return;
  if (picking_) {
    gesture_ = Gesture::pending;
    pressed_on_.reset();
    pivot_ = point_under(pressed_at_);
    return;
  }
  handles_.place(session_, rig_.picture(active_));
  if (const auto handle = bare_ ? std::nullopt : handles_.hit(pressed_at_)) {
    hot_ = *handle;
    begin_drag(handles_.begin(session_, *handle));
    return;
  }
  pressed_on_ = pick(targets(session_, shown_parts(session_, bare_)), rig_.ray(active_, pressed_at_));
  // A ghost in front of its part may be grabbed through the part as well, since it is usually sunk into it.
  if (pressed_on_) {
    std::vector<PartId> ghosts;
    for (PartId id : session_.selection())
      if (session_.job().use_of(id)) ghosts.push_back(id);
    if (const auto ghost = pick(targets(session_, ghosts), rig_.ray(active_, pressed_at_))) pressed_on_ = ghost;
  }
  pivot_ = pressed_on_ ? pressed_on_->point : point_under(pressed_at_);
  gesture_ = Gesture::pending;
}

void ViewWidget::mouseMoveEvent(QMouseEvent* event) {
  const QPointF pixel = event->position();
  const QPointF moved = pixel - last_;
  switch (gesture_) {
    case Gesture::none: {
      const std::size_t here = rig_.at(pixel);
      Handles handles = handles_;
      handles.place(session_, rig_.picture(here));
      const auto handle = bare_ || picking_ ? std::nullopt : handles.hit(pixel);
      if (hot_ != handle.value_or(-1) || here != active_) {
        hot_ = handle.value_or(-1);
        active_ = here;
        update();
        emit hint_changed(hint());
      }
      break;
    }
    case Gesture::pending: {
      if (std::hypot(pixel.x() - pressed_at_.x(), pixel.y() - pressed_at_.y()) < drag_threshold) return;
      const auto& chosen = session_.selection();
      const bool on_chosen =
          pressed_on_ && std::find(chosen.begin(), chosen.end(), pressed_on_->target.part) != chosen.end() &&
          !session_.job().at(pressed_on_->target.part).locked;
      if (on_chosen) {
        begin_drag(std::make_unique<PartDrag>(session_, session_.selection(), HandleMode::move, -1, pressed_on_->point, pressed_on_->point));
        update_drag(pixel, event->modifiers());
      } else {
        gesture_ = Gesture::orbit;
      }
      break;
    }
    case Gesture::orbit:
      rig_.camera(active_).orbit(pivot_, -0.4 * moved.x(), 0.4 * moved.y());
      camera_moved();
      break;
    case Gesture::pan:
      rig_.camera(active_).pan(pivot_, moved, rig_.area(active_).size());
      camera_moved();
      break;
    case Gesture::drag:
      update_drag(pixel, event->modifiers());
      break;
  }
  last_ = pixel;
}

void ViewWidget::mouseReleaseEvent(QMouseEvent* event) {
  if (event->button() != pressed_button_) return;
  const Gesture gesture = gesture_;
  if (gesture == Gesture::drag) return finish_drag();
  gesture_ = Gesture::none;
  if (gesture == Gesture::pending) picking_ ? pick_click() : click(event->modifiers());
}

void ViewWidget::wheelEvent(QWheelEvent* event) {
  active_ = rig_.at(event->position());
  rig_.stop_flight();
  const QPoint steps = event->angleDelta(), pixels = event->pixelDelta();
  const Vec3 at = point_under(event->position());
  Camera& camera = rig_.camera(active_);
  if (scheme_ == MouseScheme::touchpad && !(event->modifiers() & Qt::ControlModifier)) {
    const QPointF d = pixels.isNull() ? QPointF(steps) / 4 : QPointF(pixels);
    if (event->modifiers() & Qt::ShiftModifier)
      camera.pan(at, d, rig_.area(active_).size());
    else
      camera.orbit(at, -0.4 * d.x(), 0.4 * d.y());
  } else {
    camera.zoom(at, std::pow(0.85, steps.y() / 120.0));
  }
  camera_moved();
}

void ViewWidget::click(Qt::KeyboardModifiers modifiers) {
  // Clicking through a chosen ghost chooses what the eye sees in front.
  const auto hit = pick(targets(session_, shown_parts(session_, bare_)), rig_.ray(active_, pressed_at_));
  const bool add = modifiers & (Qt::ControlModifier | Qt::ShiftModifier);
  if (!hit) {
    if (!add) session_.select({});
    return;
  }
  if (add)
    session_.toggle_selected(hit->target.part);
  else
    session_.select({hit->target.part});
}

void ViewWidget::pick_points(int count, const QString& prompt, const PickAnswer& answer) {
  picking_ = Picking{count, prompt, answer, {}};
  setCursor(Qt::CrossCursor);
  setFocus(Qt::OtherFocusReason);
  update();
  emit hint_changed(hint());
}

bool ViewWidget::stop_picking() {
  if (!picking_) return false;
  picking_.reset();
  unsetCursor();
  update();
  emit hint_changed(hint());
  return true;
}

void ViewWidget::pick_click() {
  const auto hit = pick(targets(session_, shown_parts(session_, bare_)), rig_.ray(active_, pressed_at_));
  if (!hit) return session_.say(tr("There is no part under the pointer"));
  SnapSettings snap = snap_;
  snap.vertices = snap.edge_middles = picking_->count > 1;
  snap.faces = true;
  const auto point = catch_on(*hit, snap, rig_.camera(active_), pressed_at_ - rig_.area(active_).topLeft(), rig_.area(active_).size());
  picking_->points.push_back({hit->target.part, point.value_or(hit->point), hit->normal()});
  update();
  if (picking_->points.size() < static_cast<std::size_t>(picking_->count)) return void(emit hint_changed(hint()));
  const Picking done = *picking_;
  stop_picking();
  done.answer(done.points);
}

void ViewWidget::begin_drag(std::unique_ptr<Drag> drag) {
  if (drag->idle()) {
    gesture_ = Gesture::none;
    return session_.say(tr("What is chosen is locked, or rides on what is"));
  }
  drag_ = std::move(drag);
  typed_.clear();
  gesture_ = Gesture::drag;
  emit hint_changed(hint());
}

void ViewWidget::update_drag(const QPointF& pixel, Qt::KeyboardModifiers modifiers) {
  if (!typed_.isEmpty()) return;  // a typed number holds against the pointer
  Drag::Input input{rig_.camera(active_), pixel - rig_.area(active_).topLeft(), rig_.area(active_).size(), {}, snap_,
                    grid_step()};
  input.one_direction = modifiers & Qt::ShiftModifier;
  if (modifiers & Qt::AltModifier) input.snap.on = !input.snap.on;
  session_.preview(drag_->follow(input));
  emit hint_changed(hint());
}

void ViewWidget::finish_drag() {
  if (refused_) {
    session_.complain(*refused_);
    return cancel_drag();
  }
  gesture_ = Gesture::none;
  if (session_.history().current() != session_.history().committed()) session_.commit_preview(drag_->label());
  drag_.reset();
  typed_.clear();
  emit hint_changed(hint());
  update();
}

void ViewWidget::cancel_drag() {
  gesture_ = Gesture::none;
  drag_.reset();
  typed_.clear();
  refused_.reset();
  session_.drop_preview();
  emit hint_changed(hint());
  update();
}

bool ViewWidget::event(QEvent* event) {
  // While dragging, digits are a distance and not the shortcuts of the views.
  if (event->type() == QEvent::ShortcutOverride && gesture_ == Gesture::drag) {
    event->accept();
    return true;
  }
  return QWidget::event(event);
}

void ViewWidget::keyPressEvent(QKeyEvent* event) {
  if (gesture_ == Gesture::drag)
    type_into_drag(event);
  else
    move_camera_by_key(event);
}

/// Without a mouse: the arrow keys orbit, with Shift they pan, plus and minus zoom.
void ViewWidget::move_camera_by_key(QKeyEvent* event) {
  Camera& camera = rig_.camera(active_);
  const QPointF step = event->key() == Qt::Key_Left    ? QPointF(-1, 0)
                       : event->key() == Qt::Key_Right ? QPointF(1, 0)
                       : event->key() == Qt::Key_Up    ? QPointF(0, -1)
                       : event->key() == Qt::Key_Down  ? QPointF(0, 1)
                                                       : QPointF();
  if (!step.isNull()) {
    if (event->modifiers() & Qt::ShiftModifier)
      camera.pan(camera.focus, 40 * step, rig_.area(active_).size());
    else
      camera.orbit(camera.focus, -10 * step.x(), 10 * step.y());
  } else if (event->key() == Qt::Key_Plus || event->key() == Qt::Key_Minus) {
    camera.zoom(camera.focus, event->key() == Qt::Key_Plus ? 0.85 : 1 / 0.85);
  } else {
    return QWidget::keyPressEvent(event);
  }
  rig_.stop_flight();
  camera_moved();
}

void ViewWidget::type_into_drag(QKeyEvent* event) {
  if (event->key() == Qt::Key_Escape) return cancel_drag();
  if (event->key() == Qt::Key_Return || event->key() == Qt::Key_Enter) return finish_drag();
  if (event->key() == Qt::Key_Backspace)
    typed_.chop(1);
  else if (const QString text = event->text(); text.size() == 1 && QStringLiteral("0123456789.,-+").contains(text))
    typed_ += text == QStringLiteral(",") ? QStringLiteral(".") : text;
  refused_.reset();
  if (const Result<double> amount = parse_sum(typed_.toStdString(), false)) {
    const Result<Job> job = drag_->exact(*amount);
    if (job) session_.preview(*job);
    // Told when the number is taken: "0" may become "0.5".
    if (!job) refused_ = job.issue();
  }
  emit hint_changed(hint());
}

QString ViewWidget::hint() const {
  if (drag_) {
    const QString typed = typed_.isEmpty() ? QString() : tr(" · typed: %1").arg(typed_);
    return drag_->text() + typed + tr(" · Shift: one direction · Alt: snap · type a number · Escape: back");
  }
  if (picking_)
    return picking_->count == 1 ? picking_->prompt + tr(" · Escape: leave it")
                                : tr("%1, %2 of %3 · Escape: leave it").arg(picking_->prompt).arg(picking_->points.size() + 1).arg(picking_->count);
  if (place_) return QString::fromStdString(place_->second.text) + tr(" · N: next place · Escape: done");
  if (hot_ >= 0) return tr("Drag the handle, or type a number while dragging for an exact amount");
  if (work_plane(session_)) return tr("Drag the arrow to move the plane, a ring to tilt it, or type a number while dragging · Escape: done");
  const std::size_t n = session_.selection().size();
  if (session_.job().parts.empty()) return tr("Bring in a mesh file or make a shape to begin");
  const QString camera = scheme_ == MouseScheme::touchpad
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
