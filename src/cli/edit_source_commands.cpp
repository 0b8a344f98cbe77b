// edit source, gather, water, close, repeat: what changes sources.
#include "cli/edit_commands.h"

#include <CLI/CLI.hpp>

namespace garland {

void EditCommands::add_source() {
    CLI::App* source = add_bare("source", "How a source's files are interpreted");
    source->add_option("--source", w_->source, "Which source, by name or id; not needed where there is only one");
    source->add_option("--rate", w_->rate, "Frames per second in the files");
    source->add_option("--match-by", w_->join, "\"by clock\" or \"frame for frame\"");
    source->add_option("--first-frame", w_->start, "What the first frame is called");
    source->add_option("--between-frames", w_->between,
                       "Poses between frames: nearest, linear, smooth, carried or \"level set\"");
    source->add_option("--choose", w_->choices,
                       "A variant or animation of its file, as NAME=OPTION; NAME= takes what the file says");
    source->add_option("--root-motion", w_->root, "Root motion: followed or \"left out\"");
    source->add_option("--normals", w_->normals, "Of poses between frames: blended or recomputed");
    source->add_option("--voxel-size", w_->voxel,
                       "Of the level set, in units of the files; 0: a hundredth of the longest side");
    source->add_option("--leave-out", w_->leave_out, "Frames that count as missing");
    source->add_flag("--restore", w_->take_back, "Use all frames again");
    source->add_option("--changes-from", w_->changes_from, "Points and faces may change from this frame on");
    source->add_option("--shape-frames", w_->shape_frames, "How many frames each shape is shown")
        ->check(CLI::Range(1, 100000));
    source->add_option("--missing-frames", w_->gaps, "Missing frames: hold the one before, or blend across");
    source->add_option("--up-axis", w_->up, "The files' up axis: y or z");
    source->add_option("--scale", w_->scale, "Metres in one unit of the files");
    source->callback([this, source] { run([&](Project& p) { return take_source(p, *w_, *source); }); });
}

void EditCommands::add_loops() {
    CLI::App* close =
        add_bare("close", "Close a range of a source into a loop without a seam, and let its timings repeat it");
    close->add_option("--source", w_->source, "Which source, by name or id; not needed where there is only one");
    close->add_option("--start", w_->closing.start, "The loop's first frame, as the files count");
    close->add_option("--length", w_->closing.length, "Frames until the first pose returns");
    close->add_option("--ends", w_->closing_way, "none, fade-the-end, two-layers or spread-the-gap");
    close->add_option("--overlap", w_->closing.overlap,
                      "Of fade-the-end: frames over which it fades; it needs as many before the start");
    close->add_option("--layers", w_->closing_mix,
                      "Of two layers: mix, add, and for volumes maximum or density (dense parts change over sooner)");
    close->add_option(
        "--fade", w_->closing_fade,
        "straight, smooth, or keys of the incoming layer's weight over 0 to 1, as in \"0:0 0.3:0.1 smooth 1:1\"");
    close->add_option("--fade-out", w_->closing_fade_out,
                      "The same of the layer that goes, from 1 to 0; none: what the other leaves");
    close->add_flag("--keep-contrast,!--plain", w_->closing.keep_contrast,
                    "Mix about the mean pose, so that the middle of a fade does not look flattened");
    close->add_flag("--off", w_->off, "Undo the closing");
    close->callback([this, close] { run([&](Project& p) { return close_loop_of(p, *w_, *close); }); });

    add("repeat", "Let a source that loops as it is repeat", [this](Project& p) {
        return repeat_source(p, *w_);
    })->add_option("--source", w_->source, "Which source, by name or id; not needed where there is only one");
}

void EditCommands::add_sources() {
    CLI::App* gathers = add_bare("gather", "Add sources from files, each with its copy and timing");
    gathers->add_option("FILE", w_->files, "Any file of each source, or all shapes in order")->required();
    gathers->add_option("--name", w_->name, "What it is called");
    gathers->add_option("--choose", w_->choices, "A variant or animation of the file, as NAME=OPTION; info lists them");
    gathers->add_flag("--shapes", w_->shapes, "All files are shapes of one source");
    gathers->add_option("--shape-frames", w_->shape_frames, "How many frames each shape is shown")
        ->check(CLI::Range(1, 100000));
    gathers->callback([this] { run([&](Project& p) { return gather(p, *w_); }); });

    CLI::App* water = add_bare("water", "Add computed water, or change it");
    water->add_option("--source", w_->source, "The water to change; without it water is added");
    water->add_option("--name", w_->name, "What it is called");
    water->add_option("--wind-speed", w_->water.wind, "Metres per second");
    water->add_option("--wind-direction", w_->water.direction, "Degrees about the vertical axis; 0 blows along +x");
    water->add_option("--wave-height", w_->water.height, "Significant wave height, metres");
    water->add_option("--choppiness", w_->water.choppiness, "0: only up and down; about 1: sharp crests");
    water->add_option("--shown-area", w_->water.size, "Side of the square shown, metres");
    water->add_option("--tile-length", w_->water.patch, "After how many metres the first layer repeats");
    water->add_option("--shortest-wave", w_->water.smallest, "Shorter waves are damped away, metres");
    water->add_option("--damp-upwind-waves", w_->water.against, "How far waves against the wind are damped, 0 to 1");
    water->add_option("--grid", w_->water.resolution, "Samples along a tile: 64, 128, 256, 512 or 1024");
    water->add_option("--layers", w_->water.layers, "1 to 4");
    water->add_option("--frames", w_->water.frames, "How many frames, without a loop");
    water->add_option("--loop-length", w_->water.loop, "Frames after which it is the same again; 0: never");
    water->add_option("--seed", w_->water.seed, "Each seed gives a different sea");
    water->callback([this, water] { run([&](Project& p) { return set_water(p, *w_, *water); }); });
}

} // namespace garland
