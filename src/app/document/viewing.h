// What the user looks at: the current output frame, the picked copies, how copies are coloured. Not part of the
// project.
#pragma once

#include "app/document/document.h"

#include <QElapsedTimer>
#include <QObject>
#include <QTimer>
#include <set>

namespace garland {

enum class ColourMode { look, source_frame, delay };

class Viewing : public QObject {
    Q_OBJECT
  public:
    explicit Viewing(Document& document, QObject* parent = nullptr);

    OutputFrame frame() const { return OutputFrame(frame_); }
    void set_frame(double frame); // brought into the range
    bool playing() const { return timer_.isActive(); }
    void play(bool on);

    const std::set<std::int64_t>& selection() const { return selection_; } // copy numbers over the project, from 0
    void select(std::set<std::int64_t> copies);
    void toggle(std::int64_t copy);
    std::int64_t current_copy() const; // the one traced: picked last, or the first; −1 without copies
    void set_current_copy(std::int64_t copy);

    ColourMode colour() const { return colour_; }
    void set_colour(ColourMode mode);

    // The view from which the Stage is seen: the user's own, or that of the project's camera keys.
    const Camera& view() const { return view_; }
    void set_view(const Camera& view);
    bool through_camera() const { return through_camera_; }
    void look_through_camera(bool on);

    // The frame whose poses the Stage lays over the shown ones.
    std::optional<OutputFrame> second_pose() const { return second_; }
    void set_second_pose(std::optional<OutputFrame> frame);

    // The arrangement, timing and source that benches work on: those of the current copy.
    ArrangementId arrangement() const;
    TimingId timing() const;
    SourceId source() const;
    void set_arrangement(ArrangementId id);

  signals:
    void frame_changed();
    void selection_changed();
    void colour_changed();
    void playing_changed();
    void view_changed(); // or whether it goes through the camera
    void second_pose_changed();

  private:
    void tick();
    void keep_valid();
    Document& document_;
    double frame_ = 1;
    std::set<std::int64_t> selection_;
    std::int64_t current_ = 0;
    ColourMode colour_ = ColourMode::look;
    Camera view_;
    bool through_camera_ = false;
    std::optional<OutputFrame> second_;
    QTimer timer_;
    QElapsedTimer clock_;
    double play_from_ = 1;
};

} // namespace garland
