"""View models for this step's templates."""
