#!/usr/bin/env bash
# An explosion that slows down to a standstill, without overshooting: the speed is set, and time is its integral.
set -eu
garland-cli new burst.garland --range 1:200
garland-cli edit burst.garland gather "$DATA/jar.usda"
garland-cli edit burst.garland ramp --range 20:140 --to-speed 0

# Source frames only rise, ever more slowly, and stand from frame 140 on.
garland-cli table burst.garland --frames 20:200:20
standing=$(garland-cli table burst.garland --frames 140:200:20 | tail -n +2 | cut -d, -f6 | sort -u | wc -l)
[ "$standing" -eq 1 ]
garland-cli check burst.garland --fail-on backward
