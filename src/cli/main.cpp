#include "cli/commands.h"

int main(int argc, char** argv) {
    return garland::run_command_line(argc, argv);
}
