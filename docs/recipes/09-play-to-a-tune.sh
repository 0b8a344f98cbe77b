#!/usr/bin/env bash
# Lanterns that play to a tune: a band for each, the level drives how far its motion goes.
set -eu
garland-cli new tune.garland --range 1:192
garland-cli edit tune.garland gather "$DATA/paper_fan.npy"
garland-cli edit tune.garland arrange --kind line --count 16 --spacing 0.6
garland-cli edit tune.garland sound --add Tune --file "$DATA/tune.wav" --bands 16
garland-cli edit tune.garland play --by level --level sound --sound Tune

# What each copy hears at a moment, as numbers.
garland-cli table tune.garland --frames 48:48 | cut -d, -f2,6,10
heard=$(garland-cli table tune.garland --frames 48:48 | tail -n +2 | cut -d, -f10 | sort -u | wc -l)
[ "$heard" -gt 1 ]
