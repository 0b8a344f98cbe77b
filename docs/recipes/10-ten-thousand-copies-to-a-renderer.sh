#!/usr/bin/env bash
# Ten thousand lanterns for a renderer: each distinct pose once, and for every copy and frame only which one, and where.
set -eu
garland-cli new crowd.garland --range 1:24
garland-cli edit crowd.garland gather "$DATA/lantern.npy" --name lantern
garland-cli edit crowd.garland before-after --after there-and-back
garland-cli edit crowd.garland arrange --kind grid --columns 100 --rows 100 --spacing 1.5 --row-spacing 1.5
garland-cli edit crowd.garland spread --add --target delay --driver "even, by order" --from 0 --to 96
garland-cli edit crowd.garland spread --add --target speed --driver chance --from 0.8 --to 1.2

# How large would each way be? Posed copies are written for every copy; shared poses only once.
garland-cli handoff crowd.garland --what posed-copies --out written --frames 1:24 --dry-run
garland-cli handoff crowd.garland --what shared-poses --as usdc --poses-per-frame 2 --out written --frames 1:24 --dry-run

garland-cli handoff crowd.garland --what shared-poses --as usdc --poses-per-frame 2 --out written --frames 1:24 --quiet
garland-cli verify written/copies.usdc.handoff.json
