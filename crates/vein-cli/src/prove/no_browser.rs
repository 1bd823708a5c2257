//! `--browser` of a program that was built without driving one.

use super::Proved;
use crate::project::Project;
use anyhow::Result;
use vein::Ui;

pub(super) fn play(_: &Ui, _: &Project, _: &mut Proved) -> Result<()> {
    crate::left_out("browser")
}
