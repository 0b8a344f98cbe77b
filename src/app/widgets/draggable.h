// What a hand does to a view until the button is let go, and how it ends early.
#pragma once

namespace garland {

class Draggable {
  public:
    virtual ~Draggable() = default;
    // Ends a drag as if the button had been let go. put_back: what it changed is as it was before (Escape); otherwise
    // nothing more is changed (the document it worked on has gone).
    virtual void end_drag(bool put_back) = 0;
};

} // namespace garland
