"""What all steps' screens share: base templates, fields, errors, security, drawings, scripts."""
