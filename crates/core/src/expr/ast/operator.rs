//! Operators between two values.

/// An operator between two values, loosest first.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Operator {
    /// True where either side is.
    Or,
    /// True where both sides are.
    And,
    /// Equal values.
    Equal,
    /// Different values.
    NotEqual,
    /// Less, or earlier, or before in order.
    Less,
    /// Less or equal.
    LessOrEqual,
    /// Greater.
    Greater,
    /// Greater or equal.
    GreaterOrEqual,
    /// An item of a list, or a part of a text.
    In,
    /// A sum, texts one after the other, or lists one after the other.
    Add,
    /// A difference.
    Subtract,
    /// A product.
    Multiply,
    /// A quotient.
    Divide,
    /// What remains of a division of whole numbers.
    Remainder,
    /// The left side, or the right where the left is null.
    Otherwise,
}

impl Operator {
    /// How it is written.
    #[must_use]
    pub fn symbol(self) -> &'static str {
        match self {
            Operator::Or => "or",
            Operator::And => "and",
            Operator::Equal => "==",
            Operator::NotEqual => "!=",
            Operator::Less => "<",
            Operator::LessOrEqual => "<=",
            Operator::Greater => ">",
            Operator::GreaterOrEqual => ">=",
            Operator::In => "in",
            Operator::Add => "+",
            Operator::Subtract => "-",
            Operator::Multiply => "*",
            Operator::Divide => "/",
            Operator::Remainder => "%",
            Operator::Otherwise => "??",
        }
    }

    /// How tightly it binds: what binds tighter has the greater number.
    #[must_use]
    pub fn binding(self) -> u8 {
        match self {
            Operator::Or => 1,
            Operator::And => 2,
            Operator::Equal
            | Operator::NotEqual
            | Operator::Less
            | Operator::LessOrEqual
            | Operator::Greater
            | Operator::GreaterOrEqual
            | Operator::In => 4,
            Operator::Add | Operator::Subtract => 5,
            Operator::Multiply | Operator::Divide | Operator::Remainder => 6,
            Operator::Otherwise => 7,
        }
    }
}
