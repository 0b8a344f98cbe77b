#!/usr/bin/env bash
# A banner that sways for ever: find where it nearly repeats, close the seam, repeat it.
set -eu
garland-cli new banner.garland --range 1:480
garland-cli edit banner.garland gather "$DATA/lantern.npy" --name banner

# Where does it nearly repeat? The best start and length, and the gap that would be left.
garland-cli loop banner.garland --shortest 40 --most 3
best=$(garland-cli loop banner.garland --shortest 40 --most 1 --json)
start=$(sed -n 's/.*"start": \([0-9]*\).*/\1/p' <<<"$best")
length=$(sed -n 's/.*"length": \([0-9]*\).*/\1/p' <<<"$best")

# Two layers, half a loop apart, faded against each other; the middle of a fade stays as lively as its ends.
garland-cli edit banner.garland close --start "$start" --length "$length" --ends two-layers --keep-contrast

# No seam is left to be seen, and the output's 480 frames are all filled.
garland-cli check banner.garland --fail-on seam,clamped
