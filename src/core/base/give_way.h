// Threads that give way to the one that answers the user.
#pragma once

namespace garland {

// From now on this thread gets the processor where others leave it some.
void give_way();

// So do the threads of the pool behind parallel_for; the thread that calls parallel_for does its share as before. For
// programs with a window; once is enough.
void pool_gives_way();

} // namespace garland
