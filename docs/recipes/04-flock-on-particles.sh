#!/usr/bin/env bash
# A flock: paper fans on particles as they move, facing where they go, each beating at its own time from its birth.
set -eu
garland-cli new flock.garland --range 1:120
garland-cli edit flock.garland gather "$DATA/petals.0000.ply" --name petals
garland-cli edit flock.garland gather "$DATA/paper_fan.npy" --name wings
garland-cli edit flock.garland before-after --timing wings --after there-and-back
garland-cli edit flock.garland arrange --arrangement petals --hidden on
garland-cli edit flock.garland arrange --arrangement wings --kind points --carrier petals --facing velocity --upright off --size 0.2
garland-cli edit flock.garland arrange --arrangement wings --start "at birth" --hidden-until-start on
garland-cli edit flock.garland spread --arrangement wings --add --target speed --driver chance --from 0.8 --to 1.25

# Wings are there only where a petal is: fewer at the first frame than later on.
seen() { garland-cli table flock.garland --frames "$1:$1" | tail -n +2 | grep -c ',wings,.*,1,' || true; }
garland-cli table flock.garland --frames 60:60 | head -n 4
garland-cli handoff flock.garland --what posed-copies --out written --frames 60:62 --quiet
ls written
