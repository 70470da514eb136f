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
fn names_are_sorted_and_in_a_group() {
    assert!(ALL.windows(2).all(|pair| pair[0].name < pair[1].name));
    for function in ALL {
        assert!(GROUPS.contains(&function.group), "{}", function.name);
        assert!(function.summary.ends_with('.'), "{}", function.name);
        let optional = function.parameters.iter().skip_while(|parameter| !parameter.optional);
        assert!(optional.into_iter().all(|parameter| parameter.optional), "{}", function.name);
    }
}

#[test]
fn what_a_function_says_it_gives_it_gives() {
    for function in ALL {
        for (expression, _) in function.examples {
            let tree = crate::expr::parse(expression).unwrap();
            let library = crate::expr::eval::tests::library();
            let (program, findings) = crate::expr::compile(&tree, None, &library, &mut crate::expr::Slots::default());
            let gives = program.unwrap_or_else(|| panic!("{expression}: {findings:?}")).gives;
            let value = value_of(expression);
            assert!(gives.admits(&value), "{expression} gives {value:?}, and says {gives}: {gives:?}");
        }
    }
}
