#!/usr/bin/env bash
# A field of paper fans that open and fold, none like another, and all together at one moment.
set -eu
garland-cli new field.garland --range 1:240
garland-cli edit field.garland gather "$DATA/paper_fan.npy"
garland-cli edit field.garland before-after --after there-and-back
garland-cli edit field.garland arrange --kind grid --columns 20 --rows 20 --spacing 0.6 --row-spacing 0.6

# A wave over the field, and a little of one's own for each copy.
garland-cli edit field.garland spread --add --target delay --driver noise --patch 3 --from 0 --to 24
garland-cli edit field.garland spread --add --target speed --driver chance --from 0.9 --to 1.1
garland-cli edit field.garland meet --at 120

# At frame 120 all four hundred show the same source frame; at frame 60 nearly none do.
together=$(garland-cli table field.garland --frames 120:120 | tail -n +2 | cut -d, -f6 | sort -u | wc -l)
apart=$(garland-cli table field.garland --frames 60:60 | tail -n +2 | cut -d, -f6 | sort -u | wc -l)
echo "different source frames: $apart at frame 60, $together at frame 120"
[ "$together" -eq 1 ] && [ "$apart" -gt 200 ]
