"""Values: what the texts of a column say. The column decides on a convention, and every cell obeys it."""
