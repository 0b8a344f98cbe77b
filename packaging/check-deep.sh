# The deep proofs of ./check --deep (docs/trust.md). Sourced by ./check, after the quick ones passed.

deep_packages="lintian mmdebstrap clang-14 libclang-rt-14-dev llvm-14 strace slurm-wlm munge"
deep_seconds="${GARLAND_FUZZ_SECONDS:-60}"

# Each prints its counts and stops everything when something is found.
sanitizers() {
    say "Address and undefined-behaviour sanitizers: core, formats, command line, window"
    cmake --preset asan-ubsan -DGARLAND_BENCHMARKS=OFF >/dev/null && cmake --build --preset asan-ubsan || stop "the sanitizer build failed"
    QTEST_FUNCTION_TIMEOUT=3600000 ASAN_OPTIONS=detect_leaks=0:allocator_may_return_null=1 UBSAN_OPTIONS="halt_on_error=1:print_stacktrace=1:suppressions=$PWD/cmake/ubsan.txt" \
        xvfb-run -a -s "-screen 0 1280x800x24" ctest --test-dir build/asan-ubsan -j 2 --output-on-failure ||
        stop "the address or undefined-behaviour sanitizer found something"
    say "The monkey, ten minutes"
    GARLAND_MONKEY_SECONDS="${GARLAND_MONKEY_SECONDS:-600}" GARLAND_MONKEY_SEED=$RANDOM QTEST_FUNCTION_TIMEOUT=3600000 ASAN_OPTIONS=detect_leaks=0 UBSAN_OPTIONS="halt_on_error=1:print_stacktrace=1:suppressions=$PWD/cmake/ubsan.txt" \
        xvfb-run -a -s "-screen 0 1280x800x24" build/asan-ubsan/tests/app_tests --case MonkeyTest || stop "the monkey found something"
    say "Thread sanitizer: core, command line, jobs, Lanes"
    cmake --preset tsan -DGARLAND_BENCHMARKS=OFF >/dev/null && cmake --build --preset tsan --target core_tests cli_tests app_tests || stop "the thread sanitizer build failed"
    export QTEST_FUNCTION_TIMEOUT=3600000 TSAN_OPTIONS="halt_on_error=1 history_size=7 die_after_fork=0 ignore_noninstrumented_modules=1 suppressions=$PWD/cmake/tsan.txt"
    ctest --test-dir build/tsan -j 2 -R 'core_tests|cli_tests' --output-on-failure || stop "the thread sanitizer found something"
    # Without OpenGL, whose drivers are built without it.
    local case
    for case in DocumentTest VaryTest LayoutTest MonkeyTest; do
        GARLAND_MONKEY_SECONDS=60 QT_QPA_PLATFORM=offscreen build/tsan/tests/app_tests --case $case || stop "the thread sanitizer found something in $case"
    done
    unset QTEST_FUNCTION_TIMEOUT TSAN_OPTIONS
}

fuzzers() {
    say "Fuzzers, $deep_seconds seconds each"
    cmake --preset fuzz >/dev/null && cmake --build --preset fuzz || stop "the fuzzers could not be built"
    local reader runs
    for reader in ply obj npy usda usdc usdz gltf glb vdb csv garland handoff npz gz; do
        mkdir -p "build/fuzz/found/$reader"
        build/fuzz/tests/fuzz/fuzz_$reader -max_total_time="$deep_seconds" -rss_limit_mb=1500 -malloc_limit_mb=1000 -timeout=20 -max_len=200000 -print_final_stats=1 \
            -artifact_prefix="build/fuzz/found/$reader-" "build/fuzz/found/$reader" "tests/corpus/$reader" >"build/fuzz/$reader.log" 2>&1 || {
            tail -n 40 "build/fuzz/$reader.log"
            stop "the fuzzer of $reader found something: build/fuzz/found/"
        }
        runs=$(sed -n 's/^stat::number_of_executed_units: *//p' "build/fuzz/$reader.log")
        echo "  $reader: $runs runs, nothing found"
    done
}

# Says nothing, not even that what it ran was killed.
quietly() { ("$@"; exit $?) >/dev/null 2>&1; }

# Killed at every call that changes a file, by the tracer's injection: afterwards the set opens whole.
kills() {
    say "Kills at every system call that changes files"
    local work calls n code killed=0
    work=$(mktemp -d)
    build/release/src/garland-cli demo "$work" --only festival --quiet >/dev/null
    local cli=build/release/src/garland-cli copy="$work/copy"
    $cli fast-copy "$work/lantern.npy" --out "$copy" --quiet >/dev/null || stop "the copy could not be made"
    for calls in renameat2 rename unlink unlinkat fsync write fchmod openat; do
        for n in $(seq 1 40); do
            quietly strace -qq -f -o /dev/null -e trace=$calls -e inject=$calls:signal=SIGKILL:when=$n $cli fast-copy "$work/lantern.npy" --out "$copy" --replace --quiet && code=0 || code=$?
            [ "$code" -eq 137 ] || break
            killed=$((killed + 1))
            $cli info "$copy.ply" --json | grep -q '"frames": 96' || stop "killed at $calls number $n, the copy is not whole"
        done
    done
    cp "$work/festival.garland" "$work/edited.garland"
    for calls in renameat2 rename write fsync openat; do
        for n in $(seq 1 40); do
            quietly strace -qq -f -o /dev/null -e trace=$calls -e inject=$calls:signal=SIGKILL:when=$n $cli edit "$work/edited.garland" marker --at $n --name bell && code=0 || code=$?
            [ "$code" -eq 137 ] || break
            killed=$((killed + 1))
            $cli edit "$work/edited.garland" tempo --beats-per-minute 120 --dry-run >/dev/null || stop "killed at $calls number $n, the project cannot be read"
        done
    done
    rm -rf "$work"
    echo "  killed $killed times, everything whole afterwards"
}

# The window, killed while it is edited.
killed_windows() {
    say "The window killed while it is edited, 20 times"
    GARLAND_KILLS=20 QTEST_FUNCTION_TIMEOUT=600000 xvfb-run -a -s "-screen 0 1280x800x24" build/release/tests/app_tests --case KillTest || stop "a killed window lost something"
}

# A disk of a megabyte that fills up.
full_disk() {
    say "A full disk"
    [ "$(id -u)" = 0 ] || { echo "  skipped: only root can make a small disk"; return; }
    local work small
    work=$(mktemp -d) small=$(mktemp -d)
    mount -t tmpfs -o size=1m tmpfs "$small" 2>/dev/null || { echo "  skipped: this machine does not allow to mount one"; return; }
    build/release/src/garland-cli demo "$work" --only festival --quiet >/dev/null
    cp "$work/festival.garland" "$small/p.garland"
    local before code
    before=$(sha256sum "$small/p.garland")
    head -c 1048576 /dev/zero >"$small/fill" 2>/dev/null || true
    build/release/src/garland-cli edit "$small/p.garland" marker --at 3 --name bell >/dev/null 2>&1 && { umount "$small"; stop "an edit on a full disk said that it was saved"; }
    [ "$before" = "$(sha256sum "$small/p.garland")" ] || { umount "$small"; stop "an edit on a full disk changed the project"; }
    rm "$small/fill"
    build/release/src/garland-cli check "$work/festival.garland" --out "$small/out" --fail-on size >/dev/null 2>&1 && code=0 || code=$?
    [ "$code" -eq 3 ] || { umount "$small"; stop "check did not find that the disk has no room"; }
    build/release/src/garland-cli bake "$work/festival.garland" --out "$small/out" --frames 1:3 >/dev/null 2>&1 && { umount "$small"; stop "a bake larger than the disk said that it was written"; }
    local what
    for what in posed-copies shared-poses references viewer "posed-copies --as usdc" "one-source --source 1 --as usdc"; do
        # shellcheck disable=SC2086
        build/release/src/garland-cli handoff "$work/festival.garland" --what $what --out "$small/$what" --frames 1:60 >/dev/null 2>&1 && { umount "$small"; stop "$what larger than the disk said that they were written"; }
        [ ! -e "$small/$what" ] || [ -z "$(find "$small/$what" -name '*.handoff.json')" ] || { umount "$small"; stop "$what on a full disk left a manifest"; }
    done
    build/release/src/garland-cli preview "$work/festival.garland" --out "$small/shots" --frames 1:60 --size 640x360 --samples 1 --shutter 0 >/dev/null 2>&1 && { umount "$small"; stop "pictures larger than the disk said that they were written"; }
    build/release/src/garland-cli preview "$work/festival.garland" --out "$small/shots" --name film --as mov --frames 1:20 --size 640x360 --samples 1 --shutter 0 >/dev/null 2>&1 && { umount "$small"; stop "a movie larger than the disk said that it was written"; }
    build/release/src/garland-cli fast-copy "$work/lantern.npy" --out "$small/copy" >/dev/null 2>&1 && { umount "$small"; stop "a copy larger than the disk said that it was written"; }
    [ -z "$(find "$small" -name '.garland.*')" ] || { umount "$small"; stop "something temporary was left on the full disk"; }
    umount "$small"
    rm -rf "$work" "$small"
    echo "  an edit, a bake, all outputs, pictures, a movie and a fast copy were refused in words; nothing was lost, nothing was left"
}

# From some write on nothing fits any more, wherever it goes, standard error too. No output may end by a signal or say
# that it is done, and whatever is there must be complete; sets of files are all there or not at all.
full_at_any_write() {
    say "A disk that is full from some write on"
    local work what n code there all refused=0 cli=build/release/src/garland-cli
    work=$(mktemp -d)
    $cli demo "$work" --only quay --quiet >/dev/null
    for what in shared-poses references viewer "posed-copies --as ply" "one-source --source 1 --as npy" "posed-copies --as usdc" "posed-copies --as usda" "one-source --source 1 --as usdc"; do
        rm -rf "$work/whole"
        # shellcheck disable=SC2086
        $cli handoff "$work/quay.garland" --what $what --out "$work/whole" --frames 1:6 --quiet >/dev/null || stop "$what could not be written"
        all=$(find "$work/whole" -type f ! -name '*.handoff.*' | wc -l)
        for n in 1 2 3 5 8 13 20 40 80 160 320 640; do
            rm -rf "$work/out"
            mkdir "$work/out"
            # shellcheck disable=SC2086
            strace -qq -f -o /dev/null -e trace=write,writev,pwrite64 -e inject=write,writev,pwrite64:error=ENOSPC:when=$n+ $cli handoff "$work/quay.garland" --what $what --out "$work/out" --frames 1:6 --quiet >/dev/null 2>&1 && code=0 || code=$?
            [ "$code" -lt 128 ] || stop "$what ended by a signal when the disk was full at write $n"
            [ -z "$(find "$work/out" -name '.garland.*')" ] || stop "$what left something temporary when the disk was full at write $n"
            there=0
            while read -r file; do
                cmp -s "$work/out/$file" "$work/whole/$file" || stop "$file of $what is not complete when the disk was full at write $n"
                there=$((there + 1))
            done < <(find "$work/out" -type f ! -name '*.handoff.*' -printf '%P\n')
            if [ "$code" -eq 0 ]; then
                [ "$there" -eq "$all" ] || stop "$what said that it was done, and was not"
                break
            fi
            refused=$((refused + 1))
            [ "$what" = "posed-copies --as ply" ] || [ "$there" -eq 0 ] || [ "$there" -eq "$all" ] || stop "$what was there in part when the disk was full at write $n"
        done
    done
    rm -rf "$work"
    echo "  refused $refused times; no output ended by a signal, and none was there in part"
}

# As a user gets them; only root can make a clean root.
packages() {
    say "The packages: built, looked over, installed in a clean root, started, removed"
    [ "$(id -u)" -eq 0 ] || { echo "  skipped: only root can make a clean root"; return 0; }
    local made root
    made=$(mktemp -d) root=$(mktemp -d)
    (cd "$made" && cpack --config "$OLDPWD/build/release/CPackConfig.cmake" -G DEB >/dev/null) || stop "the packages could not be built"
    lintian --allow-root --fail-on error,warning "$made"/*.deb || stop "lintian found something"
    # The clean root is made from wherever this machine has its own packages from.
    local list
    for list in /etc/apt/sources.list /etc/apt/sources.list.d/debian.sources; do [ ! -s "$list" ] || break; done
    mmdebstrap --quiet --variant=minbase --include=xvfb,xauth,man-db \
        --customize-hook="copy-in $(echo "$made"/*.deb) /tmp" \
        --customize-hook='chroot "$1" sh -c "apt-get install -y --no-install-recommends /tmp/garland_*.deb /tmp/python3-garland_*.deb >/dev/null"' \
        --customize-hook='chroot "$1" garland-cli demo /tmp/data --only festival --quiet' \
        --customize-hook='chroot "$1" garland-cli check /tmp/data/festival.garland' \
        --customize-hook='chroot "$1" python3 -c "import garland"' \
        --customize-hook='chroot "$1" sh -c "XDG_RUNTIME_DIR=/tmp timeout 10 xvfb-run -a garland /tmp/data/festival.garland; test \$? -eq 124"' \
        --customize-hook='chroot "$1" sh -c "apt-get remove -y garland python3-garland >/dev/null && ! ls /usr/bin/garland* 2>/dev/null"' \
        bookworm "$root" "$list" || stop "the packages do not work in a clean root"
    rm -rf "$made" "$root"
    echo "  installed, started and removed"
}

# Shares of a hand-off on a real batch engine.
farm() {
    say "A Slurm of one node"
    build/release/tests/cli_tests --case CliHandoffTest | tee -a /dev/stderr | grep -q "SKIP.*a_real_slurm" && echo "  skipped: only root can start one"
    return 0
}

deep() {
    # shellcheck disable=SC2086
    install_missing $deep_packages
    kills
    full_disk
    full_at_any_write
    killed_windows
    fuzzers
    sanitizers
    farm
    packages
    say "All deep proofs passed."
}
