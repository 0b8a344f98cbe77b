# One interface target that every room links: warnings, exactness of floating point, sanitizers, coverage.
add_library(garland_build INTERFACE)
target_compile_features(garland_build INTERFACE cxx_std_20)
target_compile_options(garland_build INTERFACE
    -Wall -Wextra -Wpedantic -Wnon-virtual-dtor -Woverloaded-virtual -Wold-style-cast
    -ffp-contract=off)          # fused multiply-add would break loop seams: see docs/decisions/0002-exact-time.md

option(GARLAND_WERROR "Treat warnings as errors" OFF)
if(GARLAND_WERROR)
    target_compile_options(garland_build INTERFACE -Werror)
endif()

set(GARLAND_SANITIZE "" CACHE STRING "Sanitizers to build with, as in -fsanitize=")
if(GARLAND_SANITIZE)
    target_compile_options(garland_build INTERFACE -fsanitize=${GARLAND_SANITIZE} -fno-omit-frame-pointer -g1)
    target_link_options(garland_build INTERFACE -fsanitize=${GARLAND_SANITIZE})
    target_compile_definitions(garland_build INTERFACE GARLAND_NO_CLONES)
endif()

option(GARLAND_COVERAGE "Count which lines run" OFF)
if(GARLAND_COVERAGE)
    target_compile_options(garland_build INTERFACE --coverage)
    target_link_options(garland_build INTERFACE --coverage)
endif()

# See src/core/geometry/openvdb_trees.h.
if(CMAKE_CXX_COMPILER_ID STREQUAL "GNU" AND CMAKE_BUILD_TYPE STREQUAL "Release" AND NOT GARLAND_SANITIZE AND NOT GARLAND_COVERAGE)
    set(GARLAND_KEPT_TREES ON)
endif()

find_program(CCACHE ccache)
if(CCACHE AND NOT CMAKE_CXX_COMPILER_LAUNCHER)
    set(CMAKE_CXX_COMPILER_LAUNCHER ${CMAKE_COMMAND} -E env
        CCACHE_SLOPPINESS=pch_defines,time_macros,include_file_mtime,include_file_ctime
        CCACHE_BASEDIR=${CMAKE_SOURCE_DIR} CCACHE_NOHASHDIR=1 ${CCACHE})
endif()
