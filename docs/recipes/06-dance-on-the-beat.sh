#!/usr/bin/env bash
# A dance: phrases that end on beats.
set -eu
garland-cli new dance.garland --range 1:288
garland-cli edit dance.garland gather "$DATA/lantern.npy" --name lantern
garland-cli edit dance.garland tempo --beats-per-minute 120 --first-beat 1
garland-cli edit dance.garland phrases --phrase "1:30 there-and-back passes 2" --phrase "30:70" --phrase "70:40 backward"

# Check says which phrase misses its beat; stretching mends it.
garland-cli check dance.garland --fail-on off-the-beat || echo "some phrases miss their beats"
for phrase in 1 2 3; do garland-cli edit dance.garland to-beat --phrase "$phrase"; done
garland-cli check dance.garland --fail-on off-the-beat
