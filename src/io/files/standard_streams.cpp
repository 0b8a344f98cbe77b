#include "io/files/standard_streams.h"

#include <fcntl.h>

namespace garland {

void keep_standard_streams() {
    for (int number = 0; number <= 2; ++number) {
        // The lowest free number is what is given, and all below are open by now.
        if (::fcntl(number, F_GETFD) < 0) static_cast<void>(::open("/dev/null", number == 0 ? O_RDONLY : O_WRONLY));
    }
}

} // namespace garland
