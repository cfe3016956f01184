"""A path-traced camera: made-up bases in light, shadow, moss and grains, with their exact truth.

It shares no code with the measurer. It wants the packages of `requirements/traced.txt`, and on
Debian the library of `libllvm19`.
"""
