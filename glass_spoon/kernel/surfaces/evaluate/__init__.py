"""What a surface is, and its values: points, normals, closest places, where it is not smooth."""
