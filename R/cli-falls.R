# The commands about the falls, and about measures through time: downside, ratios, capture, roll.

