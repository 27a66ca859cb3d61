// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/view/tool_markers.h"

#include <algorithm>
#include <cmath>

#include "app/theme.h"
#include "app/view/overlay.h"
#include "app/view/scene.h"

namespace anvil::app {
namespace {

constexpr double max_pitch = 23, min_pitch = 15;  // pixels from label to label
constexpr double edge = 44, below = 74;           // of the picture, kept free for what floats there
constexpr double gap = 26, max_width = 132;
constexpr double glyph = 13;

/// Middles of labels of one column as near as they may be to where they would like to be, least squares: neighbours that
/// would overlap become a block around the mean of their wishes.
void settle(std::vector<double>& wishes, double pitch, double top, double bottom) {
  struct Block {
    double sum;  // of the wishes of its first label
    std::size_t count;
    double first() const { return sum / static_cast<double>(count); }
  };
  std::vector<Block> blocks;
  for (std::size_t k = 0; k < wishes.size(); ++k) {
    blocks.push_back({wishes[k], 1});
    while (blocks.size() > 1) {
      Block& before = blocks[blocks.size() - 2];
      const Block& last = blocks.back();
      const double room = pitch * static_cast<double>(before.count);
      if (before.first() + room <= last.first()) break;
      before.sum += last.sum - room * static_cast<double>(last.count);
      before.count += last.count;
      blocks.pop_back();
    }
  }
  std::vector<double> placed;
  for (const Block& block : blocks)
    for (std::size_t k = 0; k < block.count; ++k) placed.push_back(block.first() + pitch * static_cast<double>(k));
  // Within the picture: pushed down from the top, then up from the bottom.
  for (std::size_t k = 0; k < placed.size(); ++k) placed[k] = std::max(placed[k], top + pitch * static_cast<double>(k));
  for (std::size_t k = placed.size(); k-- > 0;) placed[k] = std::min(placed[k], bottom - pitch * static_cast<double>(placed.size() - 1 - k));
  wishes = std::move(placed);
}

/// The pixels that the part covers.
QRectF shadow_of(const Box3& box, const Picture& picture) {
  QRectF around;
  for (int corner = 0; corner < 8; ++corner) {
    const Vec3 p(corner & 1 ? box.hi.x() : box.lo.x(), corner & 2 ? box.hi.y() : box.lo.y(), corner & 4 ? box.hi.z() : box.lo.z());
    QPointF at;
    if (picture.at(p, at)) around |= QRectF(at - QPointF(0.5, 0.5), QSizeF(1, 1));
  }
  return around;
}

QFont marker_font(QFont font, double pitch) {
  font.setPixelSize(pitch < 18 ? 10 : 12);
  return font;
}

}  // namespace

ToolMarkers place_tool_markers(const Session& session, const Picture& picture, const QFont& font) {
  ToolMarkers markers;
  const PartId owner = session.recipe_owner();
  const Job& job = session.job();
  if (owner == 0 || !job.at(owner).visible) return markers;
  const std::vector<PartId> shown = shown_parts(session, SceneFilter{});
  const auto& chosen = session.selection();
  for (Job::Use& use : job.uses_by(owner)) {
    const Box3 box = session.world_bounds(use.tool);
    QPointF at;
    if (box.empty() || !picture.at(box.centre(), at) || !picture.area.contains(at)) continue;
    if (std::find(shown.begin(), shown.end(), use.tool) == shown.end()) continue;
    ToolMarker marker{std::move(use), QString(), at, QRectF()};
    marker.name = QString::fromStdString(job.at(marker.use.tool).name);
    marker.chosen = std::find(chosen.begin(), chosen.end(), marker.use.tool) != chosen.end();
    markers.all.push_back(std::move(marker));
  }
  if (markers.all.empty()) return markers;
  const double top = picture.area.top() + edge, bottom = picture.area.bottom() - below;
  const auto room = static_cast<std::size_t>(std::max(1.0, (bottom - top) / min_pitch + 1));
  if (markers.all.size() > 2 * room) {
    // The chosen ones are always there.
    std::stable_partition(markers.all.begin(), markers.all.end(), [](const ToolMarker& m) { return m.chosen; });
    markers.left_out = markers.all.size() - 2 * room;
    markers.all.resize(2 * room);
  }
  // The left half of them goes to the left.
  std::sort(markers.all.begin(), markers.all.end(), [](const ToolMarker& a, const ToolMarker& b) { return a.anchor.x() < b.anchor.x(); });
  const std::size_t to_left = markers.all.size() / 2;
  for (std::size_t k = 0; k < to_left; ++k) markers.all[k].to_left = true;
  std::sort(markers.all.begin(), markers.all.end(), [](const ToolMarker& a, const ToolMarker& b) {
    return std::tuple(!a.to_left, a.anchor.y(), a.use.id) < std::tuple(!b.to_left, b.anchor.y(), b.use.id);
  });
  const std::size_t most = markers.all.size() - to_left;
  const double pitch = std::clamp((bottom - top) / static_cast<double>(most), min_pitch, max_pitch);
  const QFontMetricsF metrics(marker_font(font, pitch));
  const QRectF around = shadow_of(session.world_bounds(owner), picture) & picture.area;
  for (const bool left : {true, false}) {
    const std::size_t begin = left ? 0 : to_left, end = left ? to_left : markers.all.size();
    std::vector<double> heights;
    for (std::size_t k = begin; k < end; ++k) heights.push_back(markers.all[k].anchor.y());
    settle(heights, pitch, top + pitch / 2, bottom - pitch / 2);
    for (std::size_t k = begin; k < end; ++k) {
      ToolMarker& marker = markers.all[k];
      const double width = std::min(max_width, metrics.horizontalAdvance(marker.name) + glyph + 16);
      const double x = left ? std::max(picture.area.left() + 8, around.left() - gap - width) : std::min(picture.area.right() - 8 - width, around.right() + gap);
      marker.box = QRectF(x, heights[k - begin] - (pitch - 3) / 2, width, pitch - 3);
    }
  }
  return markers;
}

void paint_tool_markers(QPainter& painter, const Picture& picture, const ToolMarkers& markers, const MarkerKey& under) {
  if (markers.all.empty()) return;
  painter.save();
  painter.setRenderHint(QPainter::Antialiasing);
  const double ratio = painter.device()->devicePixelRatioF();
  const QFont font = marker_font(painter.font(), markers.all.front().box.height() + 3);
  const QFontMetricsF metrics(font);
  painter.setFont(font);
  // Of very many that are chosen at once none stands out, and broad lines take long to draw.
  constexpr std::ptrdiff_t few = 12;
  const auto is_broad = std::count_if(markers.all.begin(), markers.all.end(), [](const ToolMarker& m) { return m.chosen; }) <= few;
  const auto paint = [&](const ToolMarker& marker) {
    const bool is_under = key_of(marker) == under, is_strong = marker.chosen || is_under;
    const QColor tint = marker.chosen ? theme::selection : marker.use.on ? theme::operation_tint(marker.use.operation) : QColor(0xA8, 0xA1, 0x95);
    const QPointF from = marker.to_left ? QPointF(marker.box.right(), marker.box.center().y()) : QPointF(marker.box.left(), marker.box.center().y());
    QColor leader = tint;
    leader.setAlpha(is_strong ? 255 : 110);
    if (is_strong && is_broad) {
      painter.setPen(round_pen(QColor(255, 255, 255, 200), 3.6));
      painter.drawLine(from, marker.anchor);
    }
    painter.setPen(round_pen(leader, is_strong && is_broad ? 1.6 : 1));
    painter.drawLine(from, marker.anchor);
    painter.setPen(Qt::NoPen);
    painter.setBrush(tint);
    painter.drawEllipse(marker.anchor, is_strong ? 4 : 2.2, is_strong ? 4 : 2.2);
    painter.setPen(QPen(is_strong ? tint : theme::line, is_strong ? 1.6 : 1));
    painter.setBrush(is_strong ? theme::selection_wash : QColor(251, 250, 247, 235));
    if (is_strong && !marker.chosen) painter.setBrush(theme::paper);
    painter.drawRoundedRect(marker.box, 4, 4);
    const QPointF corner(marker.box.left() + 5, marker.box.center().y() - glyph / 2);
    painter.drawPixmap(corner, theme::pixmap(QString::fromLatin1(theme::operation_glyph(marker.use.operation)), tint, static_cast<int>(glyph), ratio));
    const QRectF text = marker.box.adjusted(glyph + 9, 0, -5, 0);
    painter.setPen(marker.use.on ? theme::ink : theme::faint_ink);
    const QString name = metrics.elidedText(marker.name, Qt::ElideMiddle, text.width());
    painter.drawText(text, Qt::AlignVCenter | Qt::AlignLeft, name);
    if (!marker.use.on) {
      const double y = text.center().y() + 0.5;
      painter.setPen(QPen(theme::faint_ink, 1));
      painter.drawLine(QPointF(text.left(), y), QPointF(text.left() + metrics.horizontalAdvance(name), y));
    }
  };
  // What is chosen or pointed at lies on top.
  const auto is_strong = [&](const ToolMarker& m) { return m.chosen || key_of(m) == under; };
  for (const bool strong : {false, true})
    for (const ToolMarker& marker : markers.all)
      if (is_strong(marker) == strong) paint(marker);
  if (markers.left_out > 0) {
    painter.setPen(theme::faint_ink);
    painter.drawText(picture.area.adjusted(0, 0, -12, -56), Qt::AlignRight | Qt::AlignBottom, QObject::tr("and %1 more, in the recipe").arg(markers.left_out));
  }
  painter.restore();
}

const ToolMarker* marker_at(const ToolMarkers& markers, const QPointF& pixel) {
  for (const ToolMarker& marker : markers.all)
    if (marker.box.adjusted(-1, -1.5, 1, 1.5).contains(pixel)) return &marker;
  return nullptr;
}

}  // namespace anvil::app
