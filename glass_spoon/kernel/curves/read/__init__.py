"""What is found in curves: crossings, bends, planes, likeness."""
