#include "app/scene_view/gl_surface.h"

#include <QGuiApplication>
#include <QOffscreenSurface>
#include <QOpenGLContext>
#include <QOpenGLFramebufferObject>
#include <QOpenGLFunctions>
#include <QOpenGLWidget>
#include <QPainter>
#include <cmath>

namespace garland {

namespace {

QSurfaceFormat wanted_format() {
    QSurfaceFormat format;
    format.setVersion(3, 3);
    format.setProfile(QSurfaceFormat::CoreProfile);
    format.setDepthBufferSize(24);
    return format;
}

constexpr int edge_samples = 4;

Graphics look_for_graphics() {
    // Some platforms can make a context and still cannot show it inside a window.
    const QString platform = QGuiApplication::platformName();
    if (!platform.startsWith("xcb") && !platform.startsWith("wayland")) return Graphics::none;
    QOpenGLContext context;
    if (!context.create()) return Graphics::none;
    QOffscreenSurface surface;
    surface.setFormat(context.format());
    surface.create();
    if (!surface.isValid() || !context.makeCurrent(&surface)) return Graphics::none;
    const QString renderer = renderer_name(*context.functions());
    context.doneCurrent();
    const QString asked = qEnvironmentVariable("GARLAND_OPENGL");
    if (asked == "window") return Graphics::card;
    return asked == "aside" || is_processor(renderer) ? Graphics::processor : Graphics::card;
}

} // namespace

QString renderer_name(QOpenGLFunctions& functions) {
    const auto* name = reinterpret_cast<const char*>(functions.glGetString(GL_RENDERER));
    return QString::fromLatin1(name ? name : "").toLower();
}

bool is_processor(const QString& renderer) {
    for (const char* one : {"llvmpipe", "softpipe", "swrast", "software"}) {
        if (renderer.contains(QLatin1String(one))) return true;
    }
    return false;
}

Graphics graphics_here() {
    static const Graphics here = look_for_graphics();
    return here;
}

// Fills the surface; the pointer goes through it.
class GlSurface::Within : public QOpenGLWidget {
  public:
    explicit Within(GlSurface& of) : QOpenGLWidget(&of), of_(of) {
        QSurfaceFormat format = wanted_format();
        format.setSamples(edge_samples);
        setFormat(format);
        setAttribute(Qt::WA_TransparentForMouseEvents);
        setFocusPolicy(Qt::NoFocus);
        connect(this, &QOpenGLWidget::frameSwapped, &of, &GlSurface::shown);
    }
    ~Within() override { close(); }
    void close() {
        if (!open_) return;
        open_ = false;
        makeCurrent();
        of_.lose_gl();
        doneCurrent();
        // The context may go with the base class, when nothing of this one is left.
        if (context()) disconnect(context(), nullptr, this, nullptr);
    }

  protected:
    void initializeGL() override {
        close(); // another window, another context
        connect(context(), &QOpenGLContext::aboutToBeDestroyed, this, &Within::close, Qt::UniqueConnection);
        open_ = true;
        of_.initialize_gl();
    }
    void paintGL() override { of_.paint_gl(); }

  private:
    GlSurface& of_;
    bool open_ = false;
};

GlSurface::GlSurface(QWidget* parent) : QWidget(parent) {
    if (graphics_here() == Graphics::card) {
        within_ = new Within(*this);
        return;
    }
    setAttribute(Qt::WA_OpaquePaintEvent);
    aside_ = std::make_unique<Aside>();
}

GlSurface::~GlSurface() = default;

void GlSurface::close_gl() {
    if (within_) return within_->close();
    if (!aside_->context) return;
    makeCurrent();
    lose_gl();
    aside_->target.reset();
    doneCurrent();
    aside_->context.reset();
}

void GlSurface::makeCurrent() {
    if (within_) return within_->makeCurrent();
    if (aside_->context) {
        aside_->context->makeCurrent(aside_->surface.get());
        return;
    }
    aside_->context = std::make_unique<QOpenGLContext>();
    aside_->context->setFormat(wanted_format());
    aside_->context->create();
    aside_->surface = std::make_unique<QOffscreenSurface>();
    aside_->surface->setFormat(aside_->context->format());
    aside_->surface->create();
    if (aside_->context->makeCurrent(aside_->surface.get())) initialize_gl();
}

void GlSurface::doneCurrent() {
    if (within_) return within_->doneCurrent();
    if (aside_->context) aside_->context->doneCurrent();
}

void GlSurface::update() {
    if (within_) return within_->update();
    aside_->stale = true;
    QWidget::update();
}

void GlSurface::repaint() {
    if (within_) return within_->repaint();
    aside_->stale = true;
    QWidget::repaint();
}

QImage GlSurface::grab_picture() {
    if (within_) return within_->grabFramebuffer();
    paint_aside();
    return aside_->picture;
}

void GlSurface::paint_aside() {
    aside_->stale = false;
    makeCurrent();
    const QSize pixels = (QSizeF(size()) * devicePixelRatioF()).toSize().expandedTo({1, 1});
    if (!aside_->target || aside_->target->size() != pixels) {
        QOpenGLFramebufferObjectFormat format;
        format.setAttachment(QOpenGLFramebufferObject::CombinedDepthStencil);
        format.setSamples(edge_samples);
        aside_->target = std::make_unique<QOpenGLFramebufferObject>(pixels, format);
    }
    aside_->target->bind();
    QOpenGLContext::currentContext()->functions()->glViewport(0, 0, pixels.width(), pixels.height());
    paint_gl();
    aside_->picture = aside_->target->toImage();
    aside_->picture.reinterpretAsFormat(QImage::Format_RGB32); // what it covers does not shine through
    aside_->target->release();
    doneCurrent();
    aside_->picture.setDevicePixelRatio(devicePixelRatioF());
}

void GlSurface::paintEvent(QPaintEvent* event) {
    if (within_) return QWidget::paintEvent(event);
    const bool anew = aside_->stale || aside_->picture.isNull();
    if (anew) paint_aside();
    QPainter painter(this);
    painter.drawImage(0, 0, aside_->picture);
    if (anew) QMetaObject::invokeMethod(this, &GlSurface::shown, Qt::QueuedConnection);
}

void GlSurface::resizeEvent(QResizeEvent* event) {
    QWidget::resizeEvent(event);
    if (within_) return within_->setGeometry(rect());
    aside_->stale = true;
}

} // namespace garland
