// What the user looks at: the current output frame, the picked copies, how copies are coloured. Not part of the
// project.
#pragma once

#include "app/document/twin_watch.h"

#include <QElapsedTimer>
#include <QObject>
#include <QTimer>
#include <set>

namespace garland {

// level: what zones, pulses or sounds give at this moment.
enum class ColourMode { look, source_frame, delay, speed, twins, spread, level };

class Viewing : public QObject {
    Q_OBJECT
  public:
    explicit Viewing(Document& document, QObject* parent = nullptr);

    OutputFrame frame() const { return OutputFrame(frame_); }
    void set_frame(double frame); // brought into the range
    bool playing() const { return timer_.isActive(); }
    void play(bool on);
    void shuttle(int direction); // 1 forward, −1 backward, at the rate; again: twice as fast, up to eight times
    double pace() const { return playing() ? pace_ : 0; }
    // Plays the frames around the current copy's wrap over and over: the one at or after the playhead, or the one
    // before it; the whole range where nothing wraps.
    void play_across_wrap();
    std::optional<FrameRange> playing_part() const { return part_; } // of the range

    const std::set<std::int64_t>& selection() const { return selection_; } // copy numbers over the project, from 0
    void select(std::set<std::int64_t> copies);
    void toggle(std::int64_t copy);
    std::int64_t current_copy() const; // the one traced: picked last, or the first; −1 without copies
    void set_current_copy(std::int64_t copy);
    void set_current(std::int64_t copy) { current_ = copy; } // of those that are picked

    ColourMode colour() const { return colour_; }
    void set_colour(ColourMode mode);
    // The spread whose pattern is shown on the ground and on the copies, whether it counts or not; none: 0.
    SpreadId shown_spread() const { return shown_spread_; }
    void show_spread(SpreadId id); // and colours by it; 0 goes back to the colouring before

    // A path being drawn in the Scene for an arrangement, in the arrangement's own space.
    ArrangementId drawing() const { return drawing_; }
    const std::vector<V3d>& drawn() const { return drawn_; }
    void draw_path(ArrangementId id);
    void add_drawn(const V3d& place); // in the scene
    void undo_drawn();
    void finish_drawing(bool keep); // keep: the arrangement becomes a curve along what was drawn

    // Whether zones can be taken by their handles in the Scene: while their tab is open.
    bool zones_held() const { return zones_held_; }
    void hold_zones(bool on);
    // Whether the Scene shows handles of the arrangement that moves as a whole.
    bool place_held() const { return place_held_; }
    void hold_place(bool on);

    TwinWatch& twins() { return twins_; }
    const TwinWatch& twins() const { return twins_; }

    // The view from which the Scene is seen: the user's own, or that of the project's camera keys.
    const Camera& view() const { return view_; }
    void set_view(const Camera& view);
    bool through_camera() const { return through_camera_; }
    void look_through_camera(bool on);

    // The frame whose poses the Scene lays over the shown ones.
    std::optional<OutputFrame> second_pose() const { return second_; }
    void set_second_pose(std::optional<OutputFrame> frame);

    // The arrangement, timing and source that panels work on: those of the current copy.
    ArrangementId arrangement() const;
    TimingId timing() const;
    SourceId source() const;
    void set_arrangement(ArrangementId id);

  signals:
    void frame_changed();
    void selection_changed();
    void colour_changed();
    void playing_changed();
    void pace_changed(); // while it plays: faster, or the other way
    void view_changed(); // or whether it goes through the camera
    void second_pose_changed();
    void drawing_changed();

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
    ArrangementId chosen_, drawing_;
    SpreadId shown_spread_;
    ColourMode colour_before_ = ColourMode::look;
    std::vector<V3d> drawn_;
    bool zones_held_ = false, place_held_ = false;
    TwinWatch twins_;
    QTimer timer_;
    QElapsedTimer clock_;
    double play_from_ = 1;
    double pace_ = 1;
    std::optional<FrameRange> part_;
};

} // namespace garland
