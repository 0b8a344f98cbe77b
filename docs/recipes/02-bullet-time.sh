#!/usr/bin/env bash
# Bullet time: a jar flies apart, hangs in the air while the camera goes round it, and flies on.
set -eu
garland-cli new jar.garland --range 1:216
garland-cli edit jar.garland gather "$DATA/jar.usda"
garland-cli edit jar.garland hold --at 40 --frames 120

# The camera has its own clock: it goes on while the pose is held.
garland-cli edit jar.garland camera-key --at 1 --target 0,0.6,0 --distance 5 --azimuth 20 --elevation 12
garland-cli edit jar.garland camera-key --at 40 --target 0,0.6,0 --distance 3.5 --azimuth 20 --elevation 12
garland-cli edit jar.garland camera-move --range 40:160 --turn 180 --toward smooth

# The same source frame at both ends of the hold; the camera is on the other side by then.
garland-cli table jar.garland --frames 40:160:120
garland-cli camera jar.garland --frames 40:160:60
held=$(garland-cli table jar.garland --frames 41:159:59 | tail -n +2 | cut -d, -f6 | sort -u | wc -l)
[ "$held" -eq 1 ]
