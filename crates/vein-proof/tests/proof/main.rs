//! The proof from outside: random components are exact, and sabotage is seen.

mod exactness;
mod generate;
mod sabotage;
mod views;
