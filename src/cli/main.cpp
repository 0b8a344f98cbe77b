#include "cli/commands.h"
#include "core/base/memory.h"
#include "io/files/standard_streams.h"

int main(int argc, char** argv) {
    garland::keep_standard_streams();
    garland::keep_freed_memory();
    return garland::run_command_line(argc, argv);
}
