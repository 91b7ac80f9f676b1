"""`python -m fuselatch`"""

from fuselatch.cli import main

if __name__ == "__main__":
    main(prog_name="fuselatch")
