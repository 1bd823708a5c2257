//! Pages in a real Chromium: served ones, built ones, custom elements, scenarios.

#[path = "../../../vein-proof/tests/proof/acts.rs"]
mod acts;
mod attributes;
mod building;
#[path = "../shared/building_of.rs"]
mod building_of;
mod by_hand;
mod compiled;
mod compiled_handlers;
mod compiled_lists;
mod compiled_lives;
mod compiled_views;
mod controls;
#[allow(dead_code, reason = "the proof's tests use more of it")]
#[path = "../../../vein-proof/tests/proof/dressed.rs"]
mod dressed;
mod driven;
mod ecmascript;
mod elements;
#[path = "../../../vein-proof/tests/proof/enlivened.rs"]
mod enlivened;
mod following;
#[path = "../../../vein-proof/tests/proof/generate.rs"]
mod generate;
mod hands;
mod harness;
#[path = "../../../vein-proof/tests/proof/hostile.rs"]
mod hostile;
#[path = "../../../vein-proof/tests/proof/keyed.rs"]
mod keyed;
mod markup;
mod orders;
#[allow(dead_code, reason = "the proof's tests use more of it")]
#[path = "../../../vein-proof/tests/proof/outside.rs"]
mod outside;
mod pages;
mod patterns;
#[path = "../../../vein-proof/tests/proof/projects.rs"]
mod projects;
mod proving;
mod renewing;
#[path = "../shared/running.rs"]
mod running;
mod rust_host;
#[allow(dead_code, reason = "the proof's tests use more of it")]
#[path = "../../../vein-proof/tests/proof/seeds.rs"]
mod seeds;
mod spaces;
mod styles;
mod views;
mod workbench;
#[path = "../../../vein-proof/tests/proof/worked.rs"]
mod worked;

use harness::Test;

/// The tests by their paths. One that is missing here is dead code, which the compiler tells.
macro_rules! tests {
    (programs: $($program_in:ident::$program:ident),+; pages: $($page_in:ident::$page:ident),+;) => {
        &[
            $(Test::Program(
                concat!(stringify!($program_in), "::", stringify!($program)),
                $program_in::$program,
            ),)+
            $(Test::Page(
                concat!(stringify!($page_in), "::", stringify!($page)),
                |browser| Box::pin($page_in::$page(browser)),
            ),)+
        ]
    };
}

/// Those that take longest first.
const TESTS: &[Test] = tests! {
    programs:
    proving::the_glasshouse_is_the_same_in_chromium,
    proving::a_new_project_is_the_same_in_chromium,
    proving::the_workbench_is_the_same_in_chromium,
    workbench::random_use_becomes_scenarios_that_hold,
    proving::a_form_goes_back_the_same_everywhere,
    proving::what_is_caught_and_what_nobody_reads_is_the_same_everywhere,
    proving::lists_are_changed_where_they_stand,
    proving::a_broken_applier_is_found_and_the_part_is_named;
    pages:
    hands::what_a_person_types_comes_to_the_same,
    hands::what_a_person_does_comes_to_the_same,
    compiled::every_standard_member_gives_the_same,
    compiled::random_derived_values_come_to_the_same,
    compiled_handlers::handlers_leave_the_same_behind,
    compiled_lives::random_projects_live_the_same,
    compiled_views::random_components_are_shown_the_same,
    compiled_lists::derived_lists_are_kept_up_the_same,
    compiled_lists::what_is_broken_is_seen,
    compiled::expressions_come_to_the_same,
    compiled::guards_let_through_the_same,
    compiled_views::markup_is_copied_as_it_was_written,
    ecmascript::what_is_caught_is_what_ecmascript_catches,
    ecmascript::random_components_are_what_ecmascript_makes_of_them,
    attributes::what_chromium_reads_is_known,
    attributes::what_chromium_styles_is_known,
    styles::rules_reach_whom_they_are_for,
    by_hand::a_page_by_hand_becomes_components,
    views::radio_buttons_of_two_instances_are_two_groups,
    spaces::white_space_is_shown_as_in_html,
    orders::texts_stand_in_the_order_of_chromium,
    patterns::what_is_found_is_what_chromium_finds,
    markup::a_built_page_cleans_as_it_is_cleaned_outside,
    controls::what_is_set_is_what_chromium_makes_of_it,
    controls::what_is_typed_is_what_chromium_takes,
    rust_host::rust_answers_in_the_page,
    renewing::edited_components_are_shown_as_afresh,
    workbench::it_shows_edits_and_goes_back_and_forth,
    workbench::what_a_person_does_is_recorded,
    workbench::it_waits_for_a_page_that_has_mistakes,
    following::what_is_saved_is_shown_and_nothing_is_lost,
    following::mistakes_stand_over_the_page_and_go,
    following::a_tab_comes_back_when_its_server_does,
    following::a_tab_that_slept_shows_what_was_saved_meanwhile,
    following::time_that_passed_at_once_is_caught_up_with,
    following::a_timer_that_costs_more_than_its_period_stops_nobody,
    following::a_host_is_asked_to_the_half_of_a_character_and_may_wait_for_its_page,
    views::controls_are_bound_both_ways,
    views::what_an_input_method_types_is_left_alone,
    views::rows_keep_focus_and_scroll_when_they_move,
    views::the_glasshouse_is_the_same_in_the_browser_and_in_memory,
    views::the_glasshouse_lives_in_the_browser,
    views::hostile_strings_run_nothing,
    pages::what_the_observer_saw_is_what_the_ledger_names,
    pages::events_behave_as_in_memory,
    pages::the_applier_refuses_what_is_malformed_and_leaves_the_page_as_it_is,
    building::the_glasshouse_is_taken_over_as_it_was_written_and_lives_below_a_sub_path,
    building::styles_apply_under_the_strict_policy,
    building::a_page_that_nobody_drives_lives,
    building::a_fault_leads_to_where_it_was_written,
    building::an_event_knows_the_measures_of_its_element,
    building::what_costs_without_end_is_taken_back,
    building::a_page_whose_files_are_missing_or_damaged_says_so_and_stays,
    building::a_host_that_fails_leaves_the_page_as_it_is_and_is_told_of_once,
    building::a_component_may_use_the_ids_of_the_page,
    building::a_damaged_batch_is_refused_and_the_page_is_not_touched,
    building::what_was_typed_before_the_engine_came_is_heard_and_stays,
    building::a_host_module_answers_and_drives_the_page,
    building::a_host_module_drives_a_served_page,
    elements::attributes_and_properties_from_before_it_is_defined_count,
    elements::attribute_and_property_never_disagree,
    elements::events_are_heard_outside_and_instances_live_and_move_by_themselves;
};

fn main() -> std::process::ExitCode {
    harness::run(TESTS)
}
