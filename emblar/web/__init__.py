"""The browser's side: routers (HTTP), pages (view models), drawing (SVG), templates, static."""
