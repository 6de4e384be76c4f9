//! A linear program and its dual: small, sparse, all variables at least 0.

use microlp::{ComparisonOp, OptimizationDirection, Problem, Variable};

/// What is to be as small as possible, under what.
#[derive(Default)]
pub(super) struct Program {
    costs: Vec<f64>,
    rows: Vec<Row>,
}

/// A sum of variables that is at least a number, or just that.
struct Row {
    terms: Vec<(usize, f64)>,
    bound: f64,
    is_exact: bool,
}

/// The least cost, and the variables that have it.
pub(super) struct Optimum {
    pub(super) cost: f64,
    pub(super) values: Vec<f64>,
}

/// The range of variables.
const SOME: (f64, f64) = (0.0, f64::INFINITY);

impl Program {
    /// A variable of that cost.
    pub(super) fn variable(&mut self, cost: f64) -> usize {
        self.costs.push(cost);
        self.costs.len() - 1
    }

    /// Several variables that cost nothing: the first of them.
    pub(super) fn free(&mut self, count: usize) -> usize {
        self.costs.resize(self.costs.len() + count, 0.0);
        self.costs.len() - count
    }

    /// A sum that is at least `bound`; which row it is.
    pub(super) fn at_least(&mut self, terms: Vec<(usize, f64)>, bound: f64) -> usize {
        self.rows.push(Row { terms, bound, is_exact: false });
        self.rows.len() - 1
    }

    /// A sum that is just `bound`; which row it is.
    pub(super) fn exactly(&mut self, terms: Vec<(usize, f64)>, bound: f64) -> usize {
        self.rows.push(Row { terms, bound, is_exact: true });
        self.rows.len() - 1
    }

    /// Solves it by the simplex method; `None` where it has no solution or no end.
    pub(super) fn solve(&self) -> Option<Optimum> {
        let mut problem = Problem::new(OptimizationDirection::Minimize);
        let values: Vec<Variable> =
            self.costs.iter().map(|&cost| problem.add_var(cost, SOME)).collect();
        for Row { terms, bound, is_exact } in &self.rows {
            let terms = terms.iter().map(|&(variable, factor)| (values[variable], factor));
            let how = if *is_exact { ComparisonOp::Eq } else { ComparisonOp::Ge };
            problem.add_constraint(terms.collect::<Vec<_>>(), how, *bound);
        }
        let solved = problem.solve().ok()?.into_solution().ok()?;
        let values = values.into_iter().map(|variable| solved.var_value(variable)).collect();
        Some(Optimum { cost: solved.objective(), values })
    }

    /// By how much the least cost rises with the bound of each row: the dual, solved in the same way.
    pub(super) fn prices(&self) -> Option<Vec<f64>> {
        let mut problem = Problem::new(OptimizationDirection::Maximize);
        let price = |row: &Row| {
            let least = if row.is_exact { f64::NEG_INFINITY } else { 0.0 };
            problem.add_var(row.bound, (least, f64::INFINITY))
        };
        let prices: Vec<Variable> = self.rows.iter().map(price).collect();
        let mut columns: Vec<Vec<(Variable, f64)>> = vec![Vec::new(); self.costs.len()];
        for (row, &price) in self.rows.iter().zip(&prices) {
            for &(variable, factor) in &row.terms {
                columns[variable].push((price, factor));
            }
        }
        for (column, &cost) in columns.into_iter().zip(&self.costs) {
            problem.add_constraint(column, ComparisonOp::Le, cost);
        }
        let solved = problem.solve().ok()?.into_solution().ok()?;
        Some(prices.into_iter().map(|price| solved.var_value(price)).collect())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// The least of x + 2y where x + y is at least 3 and x just 1: both sides of duality, by hand.
    #[test]
    fn prices_are_what_bounds_cost() {
        let mut program = Program::default();
        let (x, y) = (program.variable(1.0), program.variable(2.0));
        program.at_least(vec![(x, 1.0), (y, 1.0)], 3.0);
        program.exactly(vec![(x, 1.0)], 1.0);
        let Optimum { cost, values } = program.solve().expect("it has a solution");
        assert_eq!((cost, values), (5.0, vec![1.0, 2.0]));
        assert_eq!(program.prices(), Some(vec![2.0, -1.0]));
    }

    #[test]
    fn what_contradicts_itself_has_no_solution() {
        let mut program = Program::default();
        let x = program.variable(1.0);
        program.exactly(vec![(x, 1.0)], 1.0);
        program.at_least(vec![(x, -1.0)], 0.0);
        assert!(program.solve().is_none() && program.prices().is_none());
    }
}
