"""Run a command as a script does."""

from click.testing import CliRunner

from north_hush.cli import main


def run(*args, code=0, typed=None):
    done = CliRunner().invoke(main, [str(arg) for arg in args], input=typed)
    assert done.exit_code == code, done.output
    return done.stdout if code == 0 else done.output
