"""The evidence for what a channel stands for: the words of its name, its unit, what its values do; and the one
assignment of roles that fits all channels of a log best.
"""
