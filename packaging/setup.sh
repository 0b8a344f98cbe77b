# Shared by ./demo and ./check: which Debian packages are needed, and how they get here. Sourced, not run.

build_packages="g++ cmake ninja-build ccache pkg-config qt6-base-dev libqt6opengl6-dev qt6-svg-dev qt6-multimedia-dev libgl-dev libimath-dev
    libexpected-dev libtbb-dev nlohmann-json3-dev libcli11-dev libfmt-dev libfast-float-dev libnanoflann-dev libxxhash-dev libmeshoptimizer-dev
    libopenvdb-dev libboost-iostreams-dev libtinygltf-dev libfftw3-dev libbullet-dev libsndfile1-dev libaubio-dev
    libembree-dev liblz4-dev libarchive-dev libdraco-dev libopenexr-dev libpng-dev libfreetype-dev libavformat-dev libavcodec-dev libswscale-dev libavutil-dev"
run_packages="libgl1-mesa-dri libqt6svg6 libqt6opengl6 libqt6multimedia6"
test_packages="qt6-base-private-dev libeigen3-dev libgsl-dev libboost-dev libassimp-dev assimp-testmodels libbenchmark-dev clang-format zsh fish xvfb xauth
    pybind11-dev python3-dev python3-pytest python3 python3-numpy python3-meshio python3-openvdb strace ffmpeg openexr gzip zstd"
# Independent JavaScript readers of what is written; tests that need them are skipped, and say so, where they are not there.
node_packages="nodejs npm"

say() { printf '\n== %s\n' "$*"; }
stop() {
    printf '\nStopped: %s\n' "$*" >&2
    exit 1
}

# install_missing PACKAGE… installs those that are not here; asks for root only then.
install_missing() {
    local missing="" package
    for package in "$@"; do
        dpkg-query -W -f='${Status}' "$package" 2>/dev/null | grep -q 'install ok installed' || missing="$missing $package"
    done
    if [ -z "$missing" ]; then
        say "All needed packages are installed."
        return
    fi
    command -v apt-get >/dev/null || stop "these packages are missing, and there is no apt-get to install them:$missing"
    local root=""
    if [ "$(id -u)" != 0 ]; then
        command -v sudo >/dev/null || stop "these packages are missing; install them as root, then try again:$missing"
        root="sudo"
    fi
    say "Installing what is missing:$missing"
    # shellcheck disable=SC2086
    { $root apt-get update -qq && $root env DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends $missing; } ||
        stop "the packages could not be installed"
}

# The readers themselves, pinned in tests/node/package.json.
install_node_checks() {
    # shellcheck disable=SC2086
    command -v node >/dev/null && command -v npm >/dev/null || install_missing $node_packages
    [ -d tests/node/node_modules/three-usdz-loader ] && [ -d tests/node/node_modules/draco3dgltf ] &&
        [ -e tests/node/node_modules/three/examples/jsm/loaders/usd/USDCParser.js ] && return
    say "Installing the JavaScript readers for tests"
    (cd tests/node && npm install --silent --no-progress) || say "They could not be installed: their tests will be skipped"
}

# configure_and_build PRESET [CMAKE OPTION…]
configure_and_build() {
    local preset=$1
    shift
    say "Configuring ($preset)"
    cmake --preset "$preset" "$@" || stop "the build could not be configured; the lines above say why"
    say "Building on $(nproc) processors"
    cmake --build --preset "$preset" || stop "the build failed; the first error above says where"
}
