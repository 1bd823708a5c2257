//! The proof from outside: random components are exact, and sabotage is seen.

mod acts;
mod bounded;
mod carried;
mod dressed;
mod enlivened;
mod exactness;
mod generate;
mod hostile;
mod kept;
mod keyed;
mod lively;
mod merging;
mod outside;
mod parsed;
mod projects;
mod reach;
mod recorded;
#[cfg(debug_assertions)]
mod sabotage;
mod seeds;
mod views;
mod worked;
