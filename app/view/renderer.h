// SPDX-License-Identifier: GPL-3.0-or-later
// Draws parts with OpenGL 3.3. One set of buffers per mesh, uploaded once; per frame only uniforms change.
#pragma once

#include <QColor>
#include <QImage>
#include <QOpenGLBuffer>
#include <QOpenGLFramebufferObject>
#include <QOpenGLFunctions_3_3_Core>
#include <QOpenGLShaderProgram>
#include <QOpenGLVertexArrayObject>
#include <QRect>
#include <functional>
#include <map>
#include <memory>
#include <optional>
#include <vector>

#include "app/view/camera.h"
#include "job/drawable.h"

namespace anvil::app {

enum class RenderStyle { edges, wires, see_through, plain };

/// What lies outside of it is not drawn.
struct KeptBall {
  Vec3 middle;  ///< in the job's space
  double radius;
};

/// One part in one frame.
struct DrawItem {
  std::shared_ptr<const Drawable> drawable;
  Affine world = Affine::Identity();
  QColor colour;
  QColor outline;
  bool ghost = false;     ///< translucent, with a dashed outline
  bool faint = false;     ///< a ghost that is not chosen itself
  bool selected = false;  ///< thick outline
  bool mapped = false;    ///< coloured by its deviation
  bool fresh = false;     ///< edges that the latest step made are drawn in the colour of the selection
  std::optional<KeptBall> kept = {};
  bool overlay = false;   ///< drawn over a part: thin lines, faces and thick lines of what is chosen of it
};

struct FrameStyle {
  RenderStyle style = RenderStyle::edges;
  bool moving = false;  ///< large meshes are shown by their proxies
  bool grid = true;
  bool marks = true;      ///< open and non-manifold edges in the colour of defects
  double grid_step = 10;  ///< mm
  double pixel_ratio = 1;
};

/// The colour of a share of the largest deviation, 0 to 1.
QColor deviation_colour(double share);

/// Some of the indices or edges of a buffer; a count of 0 stands for all.
struct BufferRange {
  int first = 0, count = 0;
};

/// Asks for the OpenGL that the renderer needs; before the application object is made.
void request_opengl();

class Renderer : protected QOpenGLFunctions_3_3_Core {
 public:
  /// To be called with a current context. False when OpenGL 3.3 is not to be had.
  bool initialise();
  /// Draws one picture into `pixels` of the current framebuffer (device pixels, origin at the bottom).
  void draw(const QRect& pixels, const Camera& camera, const std::vector<DrawItem>& items, const Box3& scene,
            const FrameStyle& style);
  /// The same in steps of a few milliseconds each, to be run in this order with the same framebuffer bound.
  using Steps = std::vector<std::function<void()>>;
  Steps steps(const QRect& pixels, const Camera& camera, const std::vector<DrawItem>& items, const Box3& scene,
              const FrameStyle& style);
  /// Has a mesh so many triangles that it is drawn in several steps?
  static bool is_heavy(const DrawItem& item) { return item.drawable->is_heavy(); }
  /// Is the picture made by the processor? Then moving pictures are drawn coarsely, to keep up with the hand.
  bool software() const { return software_; }
  /// Sends what is drawn until end_frame() to a framebuffer of `size` pixels. @param samples  0: without smoothing
  void begin_frame(const QSize& size, int samples);
  /// What was drawn since begin_frame().
  QImage end_frame();
  void forget_frames();
  /// The pixels of a framebuffer, smoothed where it has samples. To be called with a current context.
  static QImage image_of(QOpenGLFramebufferObject& framebuffer);
  /// Frees the buffers of meshes that are not among those given.
  void keep_only(const std::vector<const Drawable*>& alive);
  /// How often mesh data were sent to the card since the start; for tests.
  std::size_t uploads() const { return uploads_; }

 private:
  bool software_ = false;
  std::unique_ptr<QOpenGLFramebufferObject> coarse_, smooth_;
  QOpenGLFramebufferObject* frame_ = nullptr;  // the one of these that is drawn to
  struct Buffers {
    QOpenGLVertexArrayObject faces, lines, fresh_lines;
    QOpenGLBuffer shade{QOpenGLBuffer::VertexBuffer};
    QOpenGLBuffer vertices{QOpenGLBuffer::VertexBuffer}, deviation{QOpenGLBuffer::VertexBuffer}, edges{QOpenGLBuffer::VertexBuffer},
        fresh{QOpenGLBuffer::VertexBuffer};
    QOpenGLBuffer indices{QOpenGLBuffer::IndexBuffer}, proxy{QOpenGLBuffer::IndexBuffer};
    int index_count = 0, proxy_count = 0, edge_count = 0, crease_count = 0, open_count = 0, fresh_count = 0;
    int indices_sent = 0, edges_sent = 0;  ///< of a heavy mesh, sent when they are first needed
    std::shared_ptr<const Drawable> source;
  };

  Buffers& buffers_for(const std::shared_ptr<const Drawable>& drawable);
  void bind_edges(QOpenGLBuffer& buffer, int first = 0);
  /// Sends what a heavy mesh's buffers do not hold yet.
  void send_indices(Buffers& b, BufferRange range);
  void send_edges(Buffers& b, BufferRange range);
  void begin_step(const QRect& pixels);
  void draw_faces(const DrawItem& item, const QMatrix4x4& clip_from_view, const Camera& camera,
                  const FrameStyle& style, float alpha, BufferRange range = {});
  void draw_points(const DrawItem& item, const QMatrix4x4& clip_from_view, const Camera& camera, const QRect& pixels, const FrameStyle& style, float alpha, BufferRange range);
  struct LineStyle {
    QColor colour;
    float alpha = 1, width = 1, dash = 0;
    enum { outlines, all, open_only, fresh } which = outlines;
    bool hidden_too = false;
    BufferRange range = {};  ///< of all edges; empty: what `which` says
  };
  void draw_lines(const DrawItem& item, const QMatrix4x4& clip_from_view, const Camera& camera,
                  const QRect& pixels, const FrameStyle& style, const LineStyle& line);
  void draw_grid(const QMatrix4x4& clip_from_view, const Camera& camera, const QRect& pixels,
                 const FrameStyle& style);

  QOpenGLShaderProgram backdrop_, mesh_, points_, edge_;
  QOpenGLVertexArrayObject nothing_, grid_lines_;
  QOpenGLBuffer grid_{QOpenGLBuffer::VertexBuffer};
  std::map<const Drawable*, std::unique_ptr<Buffers>> buffers_;
  std::size_t uploads_ = 0;
};

}  // namespace anvil::app
