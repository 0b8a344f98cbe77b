// What one does to a whole arrangement's times at once: let copies meet at a frame, part twins, single something out;
// and what can be said about its twins while one varies.
#pragma once

#include "core/base/progress.h"
#include "core/copies/parting.h"
#include "core/project/show.h"

#include <optional>
#include <string>
#include <vector>

namespace garland {

// ---- meeting

struct MeetOrder {
    OutputFrame at;
    double ease = 24; // output frames in which delays go before it, and come again after it; at least 1
    double stay = 0;  // output frames for which the copies stay together
    std::optional<SourceFrame> source{}; // what they show there; unset: what their timing shows there by itself
};
struct ArrangementDone {
    Arrangement arrangement;
    std::string words; // for the undo list
    std::string note;  // what is worth knowing, or nothing
};
// Keys the amount of everything that delays copies (spreads and nudges) from 1 to 0 at `at` and back, eased, and counts
// speeds from that frame, so that every copy shows the same source frame there. Other keys of those amounts are
// replaced. Errors: invalid, for an ease below 1, or where copies start at their own frames.
Result<ArrangementDone> meet_at(const Arrangement& arrangement, const MeetOrder& order);
// The same in a project. With a source frame asked for, the arrangement's timing is moved so that it shows that frame
// at `at`, by as few output frames as there are; a timing that others follow too is copied first. words and note as
// above. Errors: those of meet_at; not_found; invalid where the timing never shows that frame.
struct MeetDone {
    std::string words, note;
};
Result<MeetDone> meet_in(Project& project, ArrangementId arrangement, const MeetOrder& order);
Result<ArrangementDone> without_meeting(const Arrangement& arrangement);

// Where amounts that change push copies' own time backward.
struct BackwardRun {
    OutputFrame first,
        last; // the output frames between which it happens, to a quarter of a frame (a whole one above 20 000 copies)
    std::int64_t copies = 0; // how many it happens to
    double steepest = 0;     // the most by which a delay grows, frames a frame; above 1
    // The ease with which it would not, for eased keys of `ease`: slopes shrink as eases grow.
    double longer_ease(double ease) const;
};
std::optional<BackwardRun> backward_by_amounts(const ArrangementShow& arrangement, FrameRange range,
                                               Progress& progress = Progress::none());

// ---- twins

// The delay between two copies at which they are no longer twins, in output frames; tried in steps of whole frames, or
// of alike_below's time; 0 when none up to 1000 does.
double least_apart(const TimingPlan& plan, const SourceClock& source, FrameRange range, const TwinRule& rule,
                   bool whole_frames);

// The rule of a project's settings for one arrangement: on a loop differences go round it.
TwinRule twin_rule(const Show& show, const ArrangementShow& arrangement);

struct TwinState {
    std::int64_t copies = 0;
    std::int64_t twins = 0;      // copies that have a twin
    std::int64_t near_twins = 0; // copies that have one among the six nearest
    std::int64_t room = -1;      // how many copies its loop can hold by delay alone; −1: it is no loop
    double loop = 0;             // output frames
    std::int64_t frames = 0;     // how many were examined
    std::optional<BackwardRun> backward;
    std::vector<std::int64_t> twin_copies; // that have one; numbers over the project
};
// The whole of an arrangement, at no more than `frames` sampled output frames. Errors: cancelled.
Result<TwinState> twin_state(const Show& show, ArrangementId arrangement, int frames,
                             Progress& progress = Progress::none());

struct PartOrder {
    std::size_t neighbours = 0; // 0: every pair; otherwise so many nearest copies of each
    bool whole_frames = true;
    std::optional<double> low, high; // what delays may become
};
struct PartDone {
    std::vector<Nudge> nudges; // the arrangement's nudges afterwards
    std::string words;         // "Part twins: 12 of 60 copies moved, 3 frames at most, 17 in all"
    double apart = 0;          // output frames
    std::int64_t left = 0;     // copies that have a twin still, of those that were to be parted
};
// Errors: those of part_all and part_near; not_found for an unknown arrangement; invalid where zones, a pulse or sound
// play its copies; invalid where no delay helps, since copies stand still together; cancelled.
Result<PartDone> part_twins(const Show& show, const Project& project, ArrangementId arrangement, const PartOrder& order,
                            Progress& progress = Progress::none());

// ---- single-outs

// Takes copies, or a part of every copy, out into an arrangement of its own, with a timing of its own. Returns its id.
// Errors: invalid, for nothing to take out, an unknown arrangement, or one that is a single-out itself.
Result<ArrangementId> single_out(Project& project, ArrangementId from, std::vector<CopyId> copies,
                                 const std::string& part);

} // namespace garland
