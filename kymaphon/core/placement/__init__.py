"""Who stands where: the adviser, moves, head turns, how loud before it howls."""
