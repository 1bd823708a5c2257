//! Every command and every mistake that a person can make with it, as files that are read
//! like documentation.

#[test]
fn commands_print_what_their_files_say() {
    // A terminal's width and colours must not matter.
    trycmd::TestCases::new().env("NO_COLOR", "1").case("tests/cmd/*.md");
}
