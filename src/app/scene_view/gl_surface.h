// A widget that OpenGL paints. A graphics card paints it within the window. A processor paints it aside, and it is laid
// into the window as a picture: a window with OpenGL in it is put together by OpenGL, all of it, whenever a word
// anywhere in it changes, which takes a processor longer than what has changed.
#pragma once

#include <QImage>
#include <QWidget>
#include <memory>

class QOffscreenSurface;
class QOpenGLContext;
class QOpenGLFramebufferObject;
class QOpenGLFunctions;

namespace garland {

enum class Graphics { none, processor, card };
// What OpenGL there is to paint with inside a window; asked once. GARLAND_OPENGL=window paints within the window in any
// case, GARLAND_OPENGL=aside never.
Graphics graphics_here();

// What the current context calls itself, in small letters, and whether that is a processor.
QString renderer_name(QOpenGLFunctions& functions);
bool is_processor(const QString& renderer);

class GlSurface : public QWidget {
    Q_OBJECT
  public:
    explicit GlSurface(QWidget* parent); // there must be graphics
    ~GlSurface() override;
    // As of a QWidget; the picture is painted anew.
    void update();
    void repaint();
    QImage grab_picture(); // painted now; in device pixels
    void makeCurrent();
    void doneCurrent();

  signals:
    void shown(); // a picture that was painted anew has reached the window

  protected:
    virtual void initialize_gl() = 0; // a new context is current
    virtual void paint_gl() = 0;      // into the framebuffer that is bound
    virtual void lose_gl() = 0;       // the context is about to go, and current
    // For destructors of what paints: lose_gl() cannot be called from this one's.
    void close_gl();
    void paintEvent(QPaintEvent* event) override;
    void resizeEvent(QResizeEvent* event) override;

  private:
    class Within;
    friend class Within;
    struct Aside {
        std::unique_ptr<QOffscreenSurface> surface;
        std::unique_ptr<QOpenGLContext> context;
        std::unique_ptr<QOpenGLFramebufferObject> target;
        QImage picture; // the last one
        bool stale = true;
    };
    void paint_aside();
    Within* within_ = nullptr;
    std::unique_ptr<Aside> aside_;
};

} // namespace garland
