//! The `wayodos` command.

use std::process::ExitCode;

fn main() -> ExitCode {
    wayodos::cli::main(wayodos::tui::run)
}
