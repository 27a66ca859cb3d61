// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/view/pointer.h"

#include <QPainter>
#include <QPainterPath>
#include <QWidget>
#include <algorithm>
#include <cmath>

#include "app/beside_the_window.h"
#include "app/theme.h"
#include "app/view/overlay.h"
#include "app/view/region_labels.h"
#include "core/mesh/regions.h"
#include "job/edit.h"

namespace anvil::app {
namespace {

constexpr double drag_threshold = 4;  // pixels before a press becomes a drag

Chooser::Change change_by(Qt::KeyboardModifiers modifiers) {
  return modifiers & Qt::ControlModifier ? Chooser::Change::take_away : modifiers & Qt::ShiftModifier ? Chooser::Change::add : Chooser::Change::replace;
}

}  // namespace

Pointer::Pointer(Session& session, CameraRig& rig, QWidget* view) : QObject(view), session_(session), rig_(rig), view_(view) {}

Handles Pointer::handles_in(const Picture& picture) const {
  Handles handles;
  handles.mode = handle_mode;
  handles.place(session_, picture);
  return handles;
}

ToolMarkers Pointer::markers_in(const Picture& picture) const {
  if (!tool_markers || filter.bare || picking_ || drawing_ || choosing() || session_.active_step() != 0) return {};
  return place_tool_markers(session_, picture, view_->font());
}

Pointer::Gesture Pointer::camera_gesture(Qt::MouseButton button, Qt::KeyboardModifiers modifiers) const {
  if (button == Qt::MiddleButton && scheme == MouseScheme::three_buttons) return Gesture::pan;
  if (button == Qt::RightButton) return modifiers & Qt::ShiftModifier ? Gesture::pan : Gesture::orbit;
  return Gesture::none;
}

std::optional<Picked> Pointer::hit_at(const QPointF& pixel) const {
  return pick(targets(session_, shown_parts(session_, filter)), rig_.ray(picture_, pixel));
}

Vec3 Pointer::point_under(const QPointF& pixel) const {
  if (const auto hit = hit_at(pixel)) return hit->point;
  const Ray ray = rig_.ray(picture_, pixel);
  const Camera& camera = rig_.camera(picture_);
  // Nothing there: the point at the depth of the focus.
  const double depth = (camera.focus - ray.origin).dot(camera.forward()) / ray.direction.dot(camera.forward());
  return ray.origin + depth * ray.direction;
}

// Mouse -------------------------------------------------------------------------------------------------

void Pointer::press(const QMouseEvent& event) {
  rig_.stop_flight();
  if (dragging()) return;  // another button during a drag changes nothing
  last_ = pressed_at_ = event.position();
  pressed_button_ = event.button();
  picture_ = rig_.at(pressed_at_);
  pressed_marker_.reset();
  const ToolMarkers markers = markers_in(rig_.picture(picture_));
  if (const ToolMarker* marker = marker_at(markers, pressed_at_); marker != nullptr && event.button() != Qt::MiddleButton) return press_marker(*marker, event);
  if (event.button() == Qt::LeftButton && !drawing_ && !picking_ && !filter.bare && choose_numbered(event.modifiers())) return;
  gesture_ = camera_gesture(event.button(), event.modifiers());
  if (gesture_ != Gesture::none) {
    pivot_ = point_under(pressed_at_);
    return;
  }
  if (event.button() != Qt::LeftButton) return;
  if (drawing_) {
    gesture_ = Gesture::draw;
    if (drawing_->press(drawing_at(pressed_at_, event.modifiers()))) end_drawing();
    emit hint_changed();
    return;
  }
  if (picking_) {
    gesture_ = Gesture::pending;
    pressed_on_.reset();
    pivot_ = point_under(pressed_at_);
    return;
  }
  if (choosing()) {
    pivot_ = point_under(pressed_at_);
    const Chooser::Way way = session_.chooser().way();
    gesture_ = way == Chooser::Way::click ? Gesture::pending : way == Chooser::Way::paint ? Gesture::paint : Gesture::region;
    region_ = QPolygonF{{pressed_at_}};
    pressed_on_.reset();
    if (gesture_ == Gesture::paint) {
      if (event.modifiers() == Qt::NoModifier) session_.chooser().clear();
      paint_at(pressed_at_, event.modifiers());
    }
    return;
  }
  const Handles handles = handles_in(rig_.picture(picture_));
  if (const auto handle = filter.bare ? std::nullopt : handles.hit(pressed_at_)) {
    hot_ = *handle;
    begin_drag(handles.begin(session_, *handle));
    return;
  }
  pressed_on_ = hit_at(pressed_at_);
  // A ghost in front of its part may be grabbed through the part as well, since it is usually sunk into it.
  if (pressed_on_) {
    std::vector<PartId> ghosts;
    for (PartId id : session_.selection())
      if (session_.job().is_tool(id)) ghosts.push_back(id);
    if (const auto ghost = pick(targets(session_, ghosts), rig_.ray(picture_, pressed_at_))) pressed_on_ = ghost;
  }
  pivot_ = pressed_on_ ? pressed_on_->point : point_under(pressed_at_);
  gesture_ = Gesture::pending;
}

/// A marker stands for its tool: it is chosen and dragged by it, and its menu is that of its row.
void Pointer::press_marker(const ToolMarker& marker, const QMouseEvent& event) {
  const PartId tool = marker.use.tool;
  if (event.button() == Qt::RightButton) {
    const Job::Use use = marker.use;
    if (const auto& chosen = session_.selection(); std::find(chosen.begin(), chosen.end(), tool) == chosen.end()) session_.select({tool});
    emit tool_menu_wanted(use, event.globalPosition().toPoint());
    return;
  }
  pressed_marker_ = tool;
  pressed_on_.reset();
  gesture_ = Gesture::pending;
}

void Pointer::move(const QMouseEvent& event) {
  const QPointF pixel = event.position();
  const QPointF moved = pixel - last_;
  switch (gesture_) {
    case Gesture::none:
      if (drawing_) {
        drawing_->move(drawing_at(pixel, event.modifiers()));
        emit changed();
        break;
      }
      hover(pixel);
      break;
    case Gesture::draw:
      if (drawing_) drawing_->move(drawing_at(pixel, event.modifiers()));
      emit changed();
      break;
    case Gesture::pending:
      if (std::hypot(pixel.x() - pressed_at_.x(), pixel.y() - pressed_at_.y()) < drag_threshold) return;
      leave_place(event);
      break;
    case Gesture::orbit:
      rig_.camera(picture_).orbit(pivot_, -0.4 * moved.x(), 0.4 * moved.y());
      emit camera_moved();
      break;
    case Gesture::pan:
      rig_.camera(picture_).pan(pivot_, moved, rig_.area(picture_).size());
      emit camera_moved();
      break;
    case Gesture::drag:
      update_drag(pixel, event.modifiers());
      break;
    case Gesture::region:
      if (session_.chooser().way() == Chooser::Way::box)
        region_ = QPolygonF(QRectF(pressed_at_, pixel).normalized());
      else
        region_ << pixel;
      emit changed();
      break;
    case Gesture::paint:
      paint_at(pixel, event.modifiers());
      break;
  }
  last_ = pixel;
}

void Pointer::hover(const QPointF& pixel) {
  const std::size_t here = rig_.at(pixel);
  const ToolMarkers markers = markers_in(rig_.picture(here));
  const ToolMarker* marker = marker_at(markers, pixel);
  const MarkerKey under = marker == nullptr ? MarkerKey() : key_of(*marker);
  const auto handle = marker != nullptr || filter.bare || picking_ || choosing() ? std::nullopt : handles_in(rig_.picture(here)).hit(pixel);
  if (hot_ == handle.value_or(-1) && under == under_ && here == picture_) return;
  hot_ = handle.value_or(-1);
  under_ = under;
  filter.pointed_at = under.second;
  picture_ = here;
  emit changed();
  emit hint_changed();
}

/// A press that moves: a chosen part that may move is dragged, or a copy of it; anything else is the camera.
void Pointer::leave_place(const QMouseEvent& event) {
  const auto& chosen = session_.selection();
  const bool copy = event.modifiers() & Qt::ControlModifier;
  std::optional<Vec3> from;
  if (pressed_marker_) {
    if (std::find(chosen.begin(), chosen.end(), *pressed_marker_) == chosen.end()) session_.select({*pressed_marker_});
    from = session_.world_bounds(*pressed_marker_).centre();
  } else if (pressed_on_ && std::find(chosen.begin(), chosen.end(), pressed_on_->target.part) != chosen.end() &&
             (copy || !session_.job().at(pressed_on_->target.part).locked)) {
    from = pressed_on_->point;
  }
  if (!from) {
    gesture_ = Gesture::orbit;
    return;
  }
  drag_chosen(*from, copy);
  if (drag_) update_drag(event.position(), event.modifiers());
}

void Pointer::drag_chosen(const Vec3& from, bool copy) {
  if (copy) {
    std::vector<PartId> copies;
    const Result<Job> job = edit::duplicate_parts(session_.job(), session_.selection(), &copies);
    if (!job) {
      gesture_ = Gesture::none;
      return session_.complain(job.issue());
    }
    copied_ = session_.selection();
    session_.preview(*job);
    session_.select(copies);
  }
  begin_drag(std::make_unique<PartDrag>(session_, session_.selection(), HandleMode::move, -1, from, from));
}

void Pointer::release(const QMouseEvent& event) {
  if (event.button() != pressed_button_) return;
  const Gesture gesture = gesture_;
  if (gesture == Gesture::drag) return finish_drag();
  gesture_ = Gesture::none;
  if (gesture == Gesture::draw) {
    if (drawing_ && drawing_->release(drawing_at(event.position(), event.modifiers()))) end_drawing();
    return;
  }
  if (gesture == Gesture::pending && pressed_marker_) return choose_part(*pressed_marker_, event.modifiers());
  if (gesture == Gesture::pending) picking_ ? pick_click() : choosing() ? choose_click(event.modifiers()) : click(event.modifiers());
  if (gesture == Gesture::region) choose_region(event.modifiers());
}

void Pointer::wheel(const QWheelEvent& event) {
  picture_ = rig_.at(event.position());
  rig_.stop_flight();
  const QPoint steps = event.angleDelta(), pixels = event.pixelDelta();
  const Vec3 at = point_under(event.position());
  Camera& camera = rig_.camera(picture_);
  if (scheme == MouseScheme::touchpad && !(event.modifiers() & Qt::ControlModifier)) {
    const QPointF d = pixels.isNull() ? QPointF(steps) / 4 : QPointF(pixels);
    if (event.modifiers() & Qt::ShiftModifier)
      camera.pan(at, d, rig_.area(picture_).size());
    else
      camera.orbit(at, -0.4 * d.x(), 0.4 * d.y());
  } else {
    camera.zoom(at, std::pow(0.85, steps.y() / 120.0));
  }
  emit camera_moved();
}

/// Chooses what the eye sees in front; a click on the same spot again what lies behind that, so that a ghost can be had through
/// the part that it is sunk into.
void Pointer::click(Qt::KeyboardModifiers modifiers) {
  const std::vector<Picked> hits = pick_through(targets(session_, shown_parts(session_, filter)), rig_.ray(picture_, pressed_at_));
  const bool again = (pressed_at_ - clicked_at_).manhattanLength() < drag_threshold;
  clicked_at_ = pressed_at_;
  if (hits.empty()) {
    if (!(modifiers & (Qt::ControlModifier | Qt::ShiftModifier))) session_.select({});
    return;
  }
  std::size_t next = 0;
  const auto& chosen = session_.selection();
  if (again && chosen.size() == 1 && modifiers == Qt::NoModifier)
    for (std::size_t k = 0; k < hits.size(); ++k)
      if (hits[k].target.part == chosen.front()) next = (k + 1) % hits.size();
  choose_part(hits[next].target.part, modifiers);
}

void Pointer::choose_part(PartId part, Qt::KeyboardModifiers modifiers) {
  if (modifiers & (Qt::ControlModifier | Qt::ShiftModifier))
    session_.toggle_selected(part);
  else
    session_.select({part});
}

// Choosing elements ---------------------------------------------------------------------------------------

std::optional<ElementView> Pointer::element_view() {
  Chooser& chooser = session_.chooser();
  const Topology* topology = chooser.topology();
  const EvaluatedPtr evaluated = chooser.evaluated();
  if (topology == nullptr || !evaluated->drawable || session_.job().find(chooser.part()) == nullptr) {
    session_.say(tr("Choose a part first; then its vertices, edges or faces can be chosen"));
    return std::nullopt;
  }
  return ElementView(*evaluated, *topology, session_.job().world_of(chooser.part()), rig_.picture(picture_), chooser.through());
}

void Pointer::choose_click(Qt::KeyboardModifiers modifiers) {
  const auto view = element_view();
  if (!view) return;
  Chooser& chooser = session_.chooser();
  const auto under = view->at(chooser.chosen().kind, pressed_at_);
  const Chooser::Change change = change_by(modifiers);
  if (under || change == Chooser::Change::replace) chooser.choose(under ? std::vector<Index>{*under} : std::vector<Index>(), change);
}

bool Pointer::choose_numbered(Qt::KeyboardModifiers modifiers) {
  for (const RegionLabel& label : place_region_labels(session_, rig_.picture(picture_), view_->font())) {
    if (!label.box.contains(pressed_at_)) continue;
    Chooser& chooser = session_.chooser();
    if (!chooser.on() || chooser.chosen().kind != ElementKind::faces) chooser.start(ElementKind::faces);
    if (!chooser.evaluated()) return true;
    const std::vector<Index> numbers = region_numbers(*chooser.evaluated()->mesh);
    std::vector<Index> faces;
    for (Index f = 0; f < numbers.size(); ++f)
      if (numbers[f] == label.number) faces.push_back(f);
    chooser.choose(std::move(faces), change_by(modifiers));
    return true;
  }
  return false;
}

void Pointer::choose_region(Qt::KeyboardModifiers modifiers) {
  const QPolygonF region = std::exchange(region_, {});
  emit changed();
  if (region.size() < 3) return choose_click(modifiers);
  const auto view = element_view();
  if (!view) return;
  Chooser& chooser = session_.chooser();
  const ElementKind kind = chooser.chosen().kind;
  // Held here: what the view looks at may be replaced meanwhile.
  const EvaluatedPtr evaluated = chooser.evaluated();
  const std::shared_ptr<const Topology> topology = chooser.held_topology();
  constexpr std::size_t many = 50'000;
  std::vector<Index> found = topology->count(*evaluated->mesh, kind) < many ? view->inside(kind, region) : beside_the_window([&] { return view->inside(kind, region); });
  if (chooser.evaluated() && chooser.evaluated()->mesh == evaluated->mesh && chooser.chosen().kind == kind) chooser.choose(std::move(found), change_by(modifiers));
}

void Pointer::paint_at(const QPointF& pixel, Qt::KeyboardModifiers modifiers) {
  const Chooser::Change change = change_by(modifiers);
  if (const auto view = element_view())
    session_.chooser().choose(view->touched(session_.chooser().chosen().kind, pixel, Chooser::brush_pixels),
                              change == Chooser::Change::replace ? Chooser::Change::add : change);
  emit changed();
}

// Picking -----------------------------------------------------------------------------------------------

void Pointer::pick_points(int count, const QString& prompt, const PickAnswer& answer) {
  picking_ = Picking{count, prompt, answer, {}};
  view_->setCursor(Qt::CrossCursor);
  view_->setFocus(Qt::OtherFocusReason);
  emit changed();
  emit hint_changed();
}

bool Pointer::stop_picking() {
  if (!picking_) return false;
  picking_.reset();
  view_->unsetCursor();
  emit changed();
  emit hint_changed();
  return true;
}

void Pointer::pick_click() {
  const auto hit = hit_at(pressed_at_);
  if (!hit) return session_.say(tr("There is no part under the pointer"));
  SnapSettings with = snap;
  with.vertices = with.edge_middles = picking_->count != 1;
  with.faces = true;
  const QRectF area = rig_.area(picture_);
  const auto point = catch_on(*hit, with, rig_.camera(picture_), pressed_at_ - area.topLeft(), area.size());
  const PickedPoint picked{hit->target.part, point.value_or(hit->point), hit->normal()};
  // As many as are wanted: a click on the first one leads back to it.
  if (picking_->count == any_number && picking_->points.size() > 2)
    if (QPointF first; rig_.picture(picture_).at(picking_->points.front().point, first) && (first - pressed_at_).manhattanLength() < 12) {
      picking_->points.push_back(picking_->points.front());
      return end_picking();
    }
  picking_->points.push_back(picked);
  emit changed();
  emit hint_changed();
  if (picking_->count != any_number && picking_->points.size() >= static_cast<std::size_t>(picking_->count)) end_picking();
}

void Pointer::end_picking() {
  const Picking done = *picking_;
  stop_picking();
  done.answer(done.points);
}

// Drawing outlines ----------------------------------------------------------------------------------------

void Pointer::draw_outline(DrawKind kind, DrawPlane plane, OutlineDraw::Answer answer) {
  stop_picking();
  drawing_.emplace(kind, plane, std::move(answer));
  typed_.clear();
  view_->setCursor(Qt::CrossCursor);
  view_->setFocus(Qt::OtherFocusReason);
  emit changed();
  emit hint_changed();
}

bool Pointer::stop_drawing() {
  if (!drawing_) return false;
  drawing_.reset();
  typed_.clear();
  view_->unsetCursor();
  emit changed();
  emit hint_changed();
  return true;
}

OutlineDraw::At Pointer::drawing_at(const QPointF& pixel, Qt::KeyboardModifiers modifiers) const {
  const QRectF area = rig_.area(picture_);
  OutlineDraw::At at{rig_.camera(picture_), pixel - area.topLeft(), area.size(), {}, Vec3::UnitZ(), {}, 0, bool(modifiers & Qt::ShiftModifier)};
  const auto hit = hit_at(pixel);
  if (hit) at.under = hit->point, at.normal = hit->normal();
  SnapSettings with = snap;
  if (modifiers & Qt::AltModifier) with.on = !with.on;
  if (!with.on) return at;
  with.faces = false;
  if (hit) at.caught = catch_on(*hit, with, at.camera, at.pixel, at.size);
  if (with.grid) at.grid = rig_.grid_step() / 10;
  return at;
}

void Pointer::end_drawing() {
  const OutlineDraw done = *drawing_;
  stop_drawing();
  gesture_ = Gesture::none;
  done.answer();
}

void Pointer::type_into_drawing(const QKeyEvent& event) {
  const QString text = event.text();
  const bool enter = event.key() == Qt::Key_Return || event.key() == Qt::Key_Enter;
  if (enter) {
    const bool done = typed_.isEmpty() ? drawing_->finish() : drawing_->take_size(typed_.toStdString());
    typed_.clear();
    if (done) return end_drawing();
  } else if (event.key() == Qt::Key_Backspace) {
    if (typed_.isEmpty())
      drawing_->take_back();
    else
      typed_.chop(1);
  } else if (text == QStringLiteral("b")) {
    typed_.clear();
    drawing_->bow();
  } else if (text.size() == 1 && QStringLiteral("0123456789.,x").contains(text)) {
    typed_ += text == QStringLiteral(",") ? QStringLiteral(".") : text;
  }
  emit changed();
  emit hint_changed();
}

// Dragging ----------------------------------------------------------------------------------------------

void Pointer::begin_drag(std::unique_ptr<Drag> drag) {
  if (drag->idle()) {
    gesture_ = Gesture::none;
    return session_.say(tr("What is chosen is locked, or rides on what is"));
  }
  drag_ = std::move(drag);
  typed_.clear();
  gesture_ = Gesture::drag;
  emit hint_changed();
}

void Pointer::update_drag(const QPointF& pixel, Qt::KeyboardModifiers modifiers) {
  if (!typed_.isEmpty()) return;  // a typed number holds against the pointer
  const QRectF area = rig_.area(picture_);
  Drag::Input input{rig_.camera(picture_), pixel - area.topLeft(), area.size(), {}, snap, rig_.grid_step()};
  input.one_direction = modifiers & Qt::ShiftModifier;
  if (modifiers & Qt::AltModifier) input.snap.on = !input.snap.on;
  session_.preview(drag_->follow(input));
  emit hint_changed();
}

void Pointer::finish_drag() {
  if (refused_) {
    session_.complain(*refused_);
    return cancel_drag();
  }
  gesture_ = Gesture::none;
  if (session_.history().current() != session_.history().committed()) session_.commit_preview(copied_.empty() ? drag_->label() : tr("copy by dragging"));
  copied_.clear();
  drag_.reset();
  typed_.clear();
  emit hint_changed();
  emit changed();
}

void Pointer::cancel_drag() {
  gesture_ = Gesture::none;
  drag_.reset();
  typed_.clear();
  refused_.reset();
  session_.drop_preview();
  if (const std::vector<PartId> before = std::exchange(copied_, {}); !before.empty()) session_.select(before);
  emit hint_changed();
  emit changed();
}

void Pointer::type_into_drag(const QKeyEvent& event) {
  if (event.key() == Qt::Key_Escape) return cancel_drag();
  if (event.key() == Qt::Key_Return || event.key() == Qt::Key_Enter) return finish_drag();
  if (event.key() == Qt::Key_Backspace)
    typed_.chop(1);
  else if (const QString text = event.text(); text.size() == 1 && QStringLiteral("0123456789.,-+").contains(text))
    typed_ += text == QStringLiteral(",") ? QStringLiteral(".") : text;
  refused_.reset();
  if (const Result<double> amount = parse_sum(typed_.toStdString(), false)) {
    const Result<Job> job = drag_->exact(*amount);
    if (job) session_.preview(*job);
    // Told when the number is taken: "0" may become "0.5".
    if (!job) refused_ = job.issue();
  }
  emit hint_changed();
}

// Keys --------------------------------------------------------------------------------------------------

bool Pointer::key(const QKeyEvent& event) {
  if (picking_ && picking_->count == any_number) {
    if (event.key() == Qt::Key_Backspace && !picking_->points.empty()) {
      picking_->points.pop_back();
      emit changed();
      return true;
    }
    if ((event.key() == Qt::Key_Return || event.key() == Qt::Key_Enter) && picking_->points.size() > 1) {
      end_picking();
      return true;
    }
  }
  if (drawing_ && (event.key() == Qt::Key_Return || event.key() == Qt::Key_Enter || event.key() == Qt::Key_Backspace ||
                   (event.text().size() == 1 && QStringLiteral("0123456789.,xb").contains(event.text())))) {
    type_into_drawing(event);
    return true;
  }
  if (!dragging()) return move_camera_by_key(event);
  type_into_drag(event);
  return true;
}

/// Without a mouse: the arrow keys orbit, with Shift they pan, plus and minus zoom.
bool Pointer::move_camera_by_key(const QKeyEvent& event) {
  Camera& camera = rig_.camera(picture_);
  const QPointF step = event.key() == Qt::Key_Left    ? QPointF(-1, 0)
                       : event.key() == Qt::Key_Right ? QPointF(1, 0)
                       : event.key() == Qt::Key_Up    ? QPointF(0, -1)
                       : event.key() == Qt::Key_Down  ? QPointF(0, 1)
                                                      : QPointF();
  if (!step.isNull()) {
    if (event.modifiers() & Qt::ShiftModifier)
      camera.pan(camera.focus, 40 * step, rig_.area(picture_).size());
    else
      camera.orbit(camera.focus, -10 * step.x(), 10 * step.y());
  } else if (event.key() == Qt::Key_Plus || event.key() == Qt::Key_Minus) {
    camera.zoom(camera.focus, event.key() == Qt::Key_Plus ? 0.85 : 1 / 0.85);
  } else {
    return false;
  }
  rig_.stop_flight();
  emit camera_moved();
  return true;
}

// What is seen of it ------------------------------------------------------------------------------------

void Pointer::paint(QPainter& painter, std::size_t picture) const {
  const Picture here = rig_.picture(picture);
  if (picking_ && picking_->count == any_number) {
    QPolygonF line;
    for (const PickedPoint& picked : picking_->points)
      if (QPointF at; here.at(picked.point, at)) line << at;
    stroke(painter, line, theme::selection, 1.8);
  }
  for (const PickedPoint& picked : picking_ ? picking_->points : std::vector<PickedPoint>())
    if (QPointF at; here.at(picked.point, at)) paint_spot(painter, at);
  if (drawing_ && picture == picture_) drawing_->paint(painter, [&](const Vec3& p, QPointF& at) { return here.at(p, at); });
  if (!picking_ && !drawing_ && !choosing()) handles_in(here).paint(painter, picture == picture_ ? hot_ : -1);
  if (picture == picture_ && (gesture_ == Gesture::region || gesture_ == Gesture::paint)) {
    QPolygonF around = region_;
    if (gesture_ == Gesture::paint) {
      QPainterPath brush;
      brush.addEllipse(last_, Chooser::brush_pixels, Chooser::brush_pixels);
      around = brush.toFillPolygon();
    }
    paint_region(painter, around);
  }
  if (drag_ && drag_->caught())
    if (QPointF at; here.at(*drag_->caught(), at)) paint_spot(painter, at);
}

QString Pointer::doing() const {
  if (drawing_) return drawing_->prompt() + (typed_.isEmpty() ? QString() : tr(" · typed: %1").arg(typed_)) + tr(" · Escape: leave it");
  if (drag_) {
    const QString typed = typed_.isEmpty() ? QString() : tr(" · typed: %1").arg(typed_);
    return drag_->text() + typed + tr(" · Shift: one direction · Alt: snap · type a number · Escape: back");
  }
  if (!picking_ && choosing()) {
    static constexpr const char* by[] = {QT_TR_NOOP("Click"), QT_TR_NOOP("Drag a box round"), QT_TR_NOOP("Paint over"), QT_TR_NOOP("Draw a line round")};
    return tr("%1 %2 of %3 · Shift: more · Ctrl: fewer · right drag: orbit · Escape: done")
        .arg(tr(by[static_cast<int>(session_.chooser().way())]), QLatin1String(name_of(session_.chooser().chosen().kind, true)),
             session_.job().find(session_.chooser().part()) != nullptr ? QString::fromStdString(session_.job().at(session_.chooser().part()).name) : tr("a part"));
  }
  if (!picking_ && under_.second != 0 && session_.job().find(under_.second) != nullptr)
    return tr("%1: click chooses it, dragging moves it, with Ctrl a copy; a right click offers the rest").arg(QString::fromStdString(session_.job().at(under_.second).name));
  if (!picking_) return {};
  if (picking_->count == any_number) return picking_->prompt + tr(" · Return ends it, Backspace takes the last back · Escape: leave it");
  return picking_->count == 1 ? picking_->prompt + tr(" · Escape: leave it")
                              : tr("%1, %2 of %3 · Escape: leave it").arg(picking_->prompt).arg(picking_->points.size() + 1).arg(picking_->count);
}

}  // namespace anvil::app
