"""What every stage is made of.

`stage` is its base, `views` a stack of named views, `editor` one attempt at an edit, `subject` what
is chosen with its results. Helpers of a stage are handed the editor and the subject.
"""
