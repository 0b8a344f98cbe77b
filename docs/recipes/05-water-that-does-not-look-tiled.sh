#!/usr/bin/env bash
# Water for a wide shot: layers of different lengths hide the tile, and it loops exactly.
set -eu
garland-cli new water.garland --range 1:241
garland-cli edit water.garland water --name canal --wind-speed 5 --wave-height 0.4 --shown-area 60 --tile-length 17 --layers 3 --grid 128 --loop-length 240

# Frame 241 shows what frame 1 showed: the loop closes to the last bit.
garland-cli bake water.garland --out written --frames 1:241:240 --quiet
values() { LC_ALL=C sed '1,/^end_header/d' "$1"; }
cmp <(values written/copies.0001.ply) <(values written/copies.0241.ply) && echo "frame 241 is frame 1"
