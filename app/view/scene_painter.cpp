// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/view/scene_painter.h"

#include <QSettings>
#include <algorithm>
#include <utility>

#include "app/release_async.h"

namespace anvil::app {
namespace {

constexpr int usual_samples = 4;

/// All that a picture depends on.
QByteArray key_of(const CameraRig& rig, const std::vector<DrawItem>& items, const Box3& scene, const FrameStyle& style, const QSize& size) {
  QByteArray key;
  auto put = [&](const auto& value) { key.append(reinterpret_cast<const char*>(&value), sizeof value); };
  auto put_numbers = [&](const double* numbers, int count) {
    key.append(reinterpret_cast<const char*>(numbers), count * static_cast<int>(sizeof(double)));
  };
  put(size);
  put(style.style);
  put(style.moving);
  put(style.grid);
  put(style.marks);
  put(style.grid_step);
  put(style.pixel_ratio);
  put_numbers(scene.lo.data(), 3);
  put_numbers(scene.hi.data(), 3);
  for (std::size_t k = 0; k < rig.count(); ++k) {
    put_numbers(rig.camera(k).view_matrix().data(), 16);
    put(rig.camera(k).distance);
    put(rig.camera(k).parallel);
  }
  for (const DrawItem& item : items) {
    put(item.drawable.get());
    put_numbers(item.world.data(), 16);
    put(item.colour.rgba());
    put(item.outline.rgba());
    const KeptBall kept = item.kept.value_or(KeptBall{Vec3::Zero(), 0});
    put_numbers(kept.middle.data(), 3);
    put(kept.radius);
    for (const bool flag : {item.ghost, item.faint, item.selected, item.fresh, item.mapped, item.overlay}) put(flag);
  }
  return key;
}

}  // namespace

ScenePainter::~ScenePainter() {
  if (!context_ || !context_->makeCurrent(surface_.get())) return;
  still_.forget();
  renderer_.keep_only({});
  renderer_.forget_frames();
  context_->doneCurrent();
}

bool ScenePainter::initialise() {
  samples_ = QSettings().value(QStringLiteral("samples"), usual_samples).toInt();
  surface_ = std::make_unique<QOffscreenSurface>();
  surface_->setFormat(QSurfaceFormat::defaultFormat());
  surface_->create();
  context_ = std::make_unique<QOpenGLContext>();
  context_->setFormat(QSurfaceFormat::defaultFormat());
  const bool good = context_->create() && context_->makeCurrent(surface_.get()) && context_->format().version() >= qMakePair(3, 3) &&
                    renderer_.initialise();
  if (!good) context_.reset();
  return good;
}

QRect ScenePainter::pixels_of(const CameraRig& rig, std::size_t picture, const QSize& size, double scale) const {
  const QRectF a = rig.area(picture);
  return {qRound(a.left() * scale), qRound((size.height() - a.bottom()) * scale), qRound(a.width() * scale), qRound(a.height() * scale)};
}

const QImage& ScenePainter::paint(const CameraRig& rig, const std::vector<DrawItem>& items, const Box3& scene, const FrameStyle& wanted,
                                  const QSize& size, const std::vector<const Drawable*>& alive) {
  if (!context_ || !context_->makeCurrent(surface_.get())) return image_;
  const double ratio = wanted.pixel_ratio;
  // A processor that draws takes as long for many small things as for a large one.
  constexpr std::size_t many = 200;
  const bool heavy = std::any_of(items.begin(), items.end(), Renderer::is_heavy) || (items.size() > many && renderer_.software());
  FrameStyle style = wanted;
  if (heavy && !style.moving) {
    // At rest, a heavy picture is made in steps between events; until it is done the lighter one stands.
    const QByteArray key = key_of(rig, items, scene, style, size);
    if (!still_.is_of(key)) {
      Renderer::Steps steps;
      for (std::size_t k = 0; k < rig.count(); ++k) {
        Renderer::Steps more = renderer_.steps(pixels_of(rig, k, size, ratio), rig.camera(k), items, scene, style);
        std::move(more.begin(), more.end(), std::back_inserter(steps));
      }
      still_.begin(key, size * ratio, samples_, std::move(steps));
    }
    style.moving = !still_.finished();
  } else {
    still_.forget();
  }
  const QByteArray key = key_of(rig, items, scene, style, size);
  if (key != shown_ || image_.isNull()) {
    shown_ = key;
    for (auto& old : std::exchange(held_, {})) release_async(std::move(old));
    for (const DrawItem& item : items) held_.push_back(item.drawable);
    if (heavy && !style.moving) {
      image_ = still_.image();
    } else {
      // Smoothing costs a processor dear: a picture that moves goes without, and one of heavy parts with fewer pixels.
      const bool coarse = style.moving && renderer_.software();
      const double scale = coarse && heavy ? ratio / 2 : ratio;
      renderer_.begin_frame(size * scale, coarse ? 0 : samples_);
      for (std::size_t k = 0; k < rig.count(); ++k) renderer_.draw(pixels_of(rig, k, size, scale), rig.camera(k), items, scene, style);
      image_ = renderer_.end_frame();
    }
  }
  renderer_.keep_only(alive);
  return image_;
}

bool ScenePainter::advance(int milliseconds) {
  return context_ && context_->makeCurrent(surface_.get()) && still_.advance(milliseconds);
}

}  // namespace anvil::app
