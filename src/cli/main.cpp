#include "cli/commands.h"
#include "core/base/memory.h"

int main(int argc, char** argv) {
    garland::keep_freed_memory();
    return garland::run_command_line(argc, argv);
}
