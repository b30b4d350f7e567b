"""Benchmarks: ratios against a bare baseline, measured in the same run.

python -m bench [name ...]        from the top of the checkout, with src on the path
"""
