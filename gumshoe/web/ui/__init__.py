"""The shell: base templates, styles, scripts, vendored assets."""
