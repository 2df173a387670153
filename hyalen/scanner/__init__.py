"""A scanner that is not there: it speaks eSCL, holds stacks of made-up sheets, and fails as real ones do."""
