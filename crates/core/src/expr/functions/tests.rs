use super::*;
use crate::expr::eval::tests::value_of;

#[test]
fn every_example_gives_what_it_says() {
    for function in ALL {
        assert!(!function.examples.is_empty(), "{} has no example", function.name);
        for (expression, result) in function.examples {
            assert!(
                expression.contains(&format!("| {}", function.name)),
                "{expression} does not show {}",
                function.name
            );
            assert_eq!(value_of(expression), value_of(result), "{expression}");
        }
    }
}

#[test]
fn names_are_sorted_and_unique_and_null_goes_through() {
    assert!(ALL.windows(2).all(|pair| pair[0].name < pair[1].name));
    for function in ALL {
        let arguments: Vec<Value> = function.parameters.iter().map(|_| Value::Null).collect();
        assert_eq!(function.apply(&Value::Null, &arguments), Ok(Value::Null), "{}", function.name);
    }
}

#[test]
fn the_reference_is_written_from_the_table() {
    let mut rows = String::from("| function | what it gives | example |\n|---|---|---|\n");
    for function in ALL {
        let (expression, result) = function.examples[0];
        let cell = |text: &str| text.replace('|', "\\|");
        rows += &format!(
            "| `{}` | {} | `{}` → `{}` |\n",
            function.usage(),
            function.summary,
            cell(expression),
            cell(result)
        );
    }
    let page = include_str!("../../../../../docs/expressions.md");
    assert!(page.contains(&rows), "docs/expressions.md must hold this table:\n{rows}");
}
