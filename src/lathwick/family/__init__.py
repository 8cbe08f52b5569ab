"""Parameters, formulas, jobs, parts, tables and variants: how a script becomes a family of parts."""
