"""The rig as a graph of the signal: devices laid out, paths and totals through it, cuts, ladders, who hears whom."""
