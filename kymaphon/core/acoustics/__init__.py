"""Sound in a place: distance, mouths, pickup patterns, rooms, and the steps through the air."""
