#!/usr/bin/env bash
# A row of folded fans; a light passes, and each opens as it comes near. Any frame can be asked for: nothing is run before.
set -eu
garland-cli new wake.garland --range 1:120
garland-cli edit wake.garland gather "$DATA/paper_fan.npy"
garland-cli edit wake.garland arrange --kind line --count 12 --spacing 1
garland-cli edit wake.garland zone --add Light --shape ball --size 1,1,1 --inner 0 --outer 1 --keys "1:-8,0,0 100:8,0,0"
garland-cli edit wake.garland play --by starts --level zones --zones Light --leaving go-on

# Each starts after the one before it; the last frames of the row tell when.
garland-cli trace wake.garland --copy 1 --frames 60:60
garland-cli trace wake.garland --copy 12 --frames 60:60
first=$(garland-cli table wake.garland --frames 60:60 | sed -n 2p | cut -d, -f6)
last=$(garland-cli table wake.garland --frames 60:60 | sed -n 13p | cut -d, -f6)
echo "at frame 60 the first copy shows source frame $first, the last one $last"
[ "$first" != "$last" ]
