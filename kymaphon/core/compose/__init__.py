"""From answers to a whole show: who stands where, what is plugged into what, who hears whom, and how it is set."""
