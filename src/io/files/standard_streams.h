// Standard input, output and error of a program.
#pragma once

namespace garland {

// Opens those that are closed on nothing: the next file that is opened would be taken for one of them, and what is said
// would be written into it. To be called first.
void keep_standard_streams();

} // namespace garland
