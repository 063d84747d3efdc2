"""Signs of life: health, metrics, and the page that shows every component once."""
