// The Scene's picture once it stands: drawn anew beside the shown one, in slices that a hand can interrupt, until it is
// the truth.
#include "app/scene_view/scene_gpu.h"

#include <QElapsedTimer>
#include <QOpenGLContext>
#include <algorithm>

namespace garland {

namespace {
constexpr std::size_t most_puffs = 200'000;
constexpr double told_apart = 0.05; // pixels: a lighter mesh that is nearer to the full one gives the same picture
} // namespace

void SceneGpu::refine_drop() {
    refined_ = false;
    refine_scene_.reset();
    refine_view_ = {};
    refine_loaded_ = {};
    refine_pass_ = Pass::whole;
    refine_group_ = refine_instance_ = refine_index_ = 0;
    refine_.reset();
    refined_picture_.reset();
}

void SceneGpu::refine_begin(ScenePtr scene, const View& view) {
    refine_drop();
    const QSize pixels(static_cast<int>(view.size.width() * view.ratio),
                       static_cast<int>(view.size.height() * view.ratio));
    if (!scene || pixels.isEmpty()) return;
    QOpenGLFramebufferObjectFormat format;
    format.setAttachment(QOpenGLFramebufferObject::Depth);
    format.setSamples(4);
    refine_ = std::make_unique<QOpenGLFramebufferObject>(pixels, format);
    refined_picture_ = std::make_unique<QOpenGLFramebufferObject>(pixels);
    if (!refine_->isValid() || !refined_picture_->isValid()) return refine_drop(); // the shown picture stays as it is
    refine_scene_ = std::move(scene);
    refine_orbit_ = *view.orbit;
    refine_tokens_ = *view.tokens;
    refine_marks_ = *view.marks;
    refine_view_ = view;
    refine_view_.scene = refine_scene_.get();
    refine_view_.orbit = &refine_orbit_;
    refine_view_.tokens = &refine_tokens_;
    refine_view_.marks = &refine_marks_;
    refine_drawn_ = {};

    refine_->bind();
    instances_ = refine_buffer_;
    begin_picture(refine_view_);
    refine_load(refine_orbit_.eye().y > 0 ? Pass::mirror_depths : Pass::whole);
    vao_.release();
    refine_->release();
}

// What a pass draws; its slices begin anew.
void SceneGpu::refine_load(Pass pass) {
    refine_pass_ = pass;
    refine_group_ = refine_instance_ = refine_index_ = 0;
    if (pass == Pass::mirror) return; // the same as its depths
    Quality quality;
    if (pass == Pass::whole) {
        quality.error = told_apart;
        quality.puffs = most_puffs;
        refine_drawn_ = {};
        refine_loaded_ = load(refine_view_, *refine_scene_, quality, refine_drawn_);
        refine_drawn_.light = refine_drawn_.solids = 0; // what is lighter cannot be told from the full one
        return;
    }
    quality.error = 3; // a mirror image is faint
    quality.triangles = 400'000;
    quality.dots = 100'000;
    quality.solid_below = 3;
    Drawn mirrored;
    refine_loaded_ = load(refine_view_, *refine_scene_, quality, mirrored);
    refine_dots_ = dots_share_;
}

double SceneGpu::refine_some(double triangles) {
    double left = triangles;
    const bool mirrored = refine_pass_ != Pass::whole;
    dots_ = 0;
    dots_share_ = mirrored ? refine_dots_ : 1;
    if (refine_group_ == 0 && refine_instance_ == 0 && refine_index_ == 0) {
        draw_solids(refine_loaded_);
        left -= static_cast<double>(refine_loaded_.solids) * solid_faces;
    }
    while (left > 0 && refine_group_ < refine_loaded_.groups.size()) {
        const Group& g = refine_loaded_.groups[refine_group_];
        const bool dots = !g.pose->dots.empty();
        const auto& level = level_of(g, mirrored);
        const auto each =
            std::max(1.0, dots ? static_cast<double>(g.pose->dots.size()) : static_cast<double>(level.count / 3));
        const std::size_t more = g.count - refine_instance_;
        const auto fit = static_cast<std::size_t>(std::max(1.0, std::floor(left / each)));
        if (dots) {
            const std::size_t n = std::min(more, fit);
            draw_dots(g, refine_instance_, n);
            refine_instance_ += n;
            left -= each * static_cast<double>(n);
        } else if (level.count == 0) {
            refine_instance_ = g.count;
        } else {
            vertex_attributes(*g.pose);
            instance_attributes(g.first + refine_instance_);
            glBindBuffer(GL_ELEMENT_ARRAY_BUFFER, face_buffer(g.pose->faces));
            // Many light copies at once, or a part of one heavy one.
            const bool fits = each <= left && refine_index_ == 0;
            const std::size_t copies = fits ? std::min(more, fit) : 1;
            const std::size_t indices =
                fits ? level.count
                     : std::min(level.count - refine_index_, static_cast<std::size_t>(std::max(left, 1000.0)) * 3);
            glDrawElementsInstanced(
                GL_TRIANGLES, static_cast<GLsizei>(indices), GL_UNSIGNED_INT,
                reinterpret_cast<const void*>((level.first + refine_index_) * sizeof(std::uint32_t)),
                static_cast<GLsizei>(copies));
            left -= static_cast<double>(indices / 3) * static_cast<double>(copies);
            refine_index_ += indices;
            if (refine_index_ >= level.count) refine_index_ = 0, refine_instance_ += copies;
        }
        if (refine_instance_ >= g.count) ++refine_group_, refine_instance_ = 0;
    }
    return triangles - left;
}

bool SceneGpu::refine_step(double milliseconds) {
    if (!refine_ || refined_) return refined_;
    QElapsedTimer clock;
    clock.start();
    refine_->bind();
    glViewport(0, 0, refine_->width(), refine_->height());
    glEnable(GL_DEPTH_TEST);
    glEnable(GL_MULTISAMPLE);
    vao_.bind();
    instances_ = refine_buffer_;
    bind_copies(refine_view_, refine_orbit_.projection(refine_view_.size) * refine_orbit_.view());
    begin_pass(refine_pass_, refine_tokens_);
    const double used = refine_some(std::max(refine_triangles_, 1000.0));
    end_pass(refine_pass_);
    glFinish(); // so that the next slice is as long as this one should have been
    const double took = std::max(static_cast<double>(clock.nsecsElapsed()) / 1e6, 0.1);
    if (used > 0) refine_triangles_ = std::clamp(used * milliseconds / took, 5'000.0, refine_triangles_ * 4);
    const bool passed = refine_group_ >= refine_loaded_.groups.size();
    if (passed && refine_pass_ == Pass::whole) {
        std::vector<PuffCopy> smoke = refine_loaded_.puffs;
        Quality whole;
        whole.error = told_apart;
        draw_second(refine_view_, whole, smoke, refine_drawn_);
        refine_drawn_.light = 0;
        end_picture(refine_view_, smoke, most_puffs);
        QOpenGLFramebufferObject::blitFramebuffer(refined_picture_.get(), refine_.get());
        refined_ = true;
    } else {
        if (passed && refine_pass_ == Pass::mirror) glClear(GL_DEPTH_BUFFER_BIT);
        if (passed) refine_load(refine_pass_ == Pass::mirror_depths ? Pass::mirror : Pass::whole);
        vao_.release();
    }
    refine_->bind();
    refine_->release();
    if (refined_) { // what made it is not needed any more
        refine_.reset();
        refine_loaded_ = {};
        refine_scene_.reset();
    }
    return refined_;
}

void SceneGpu::refine_present() {
    if (refined_picture_) present(*refined_picture_);
}

} // namespace garland
