"""Points, edges and projections: the ground under placing and under filters by place. Arrays in, arrays out."""
