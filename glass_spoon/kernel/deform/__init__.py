"""Maps of space: bent, twisted, tapered, latticed, laid along a curve, and their use on points, curves and surfaces."""
