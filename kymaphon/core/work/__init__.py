"""The order of work before air: what there is to do, what must come first, who does it when, and what to drop when it is late."""
