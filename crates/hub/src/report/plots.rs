//! Plots as SVG. Colours that the colour-blind tell apart (Okabe and Ito, 2008), each of another lightness, so
//! that they differ in grey print too.

use plotters::prelude::*;

use super::{Flow, Spread};

/// Colours in the order in which they are taken, from the darkest.
const COLOURS: [RGBColor; 5] =
    [RGBColor(0, 82, 130), RGBColor(230, 159, 0), RGBColor(0, 0, 0), RGBColor(86, 180, 233), RGBColor(213, 94, 0)];
const FAINT: RGBColor = RGBColor(205, 210, 208);
const INK: RGBColor = RGBColor(40, 48, 50);
const SIZE: (u32, u32) = (960, 270);
const LETTERS: i32 = 16;
/// The height of the line above a plot.
const LEGEND: i32 = 30;
const FONT: &str = "sans-serif";

type Drawn = Result<(), DrawingAreaErrorKind<std::io::Error>>;

/// What is drawn of a plot; nothing where there is nothing.
fn svg(title: &str, draw: impl FnOnce(&DrawingArea<SVGBackend<'_>, plotters::coord::Shift>) -> Drawn) -> String {
    let mut text = String::new();
    {
        let root = SVGBackend::with_string(&mut text, SIZE).into_drawing_area();
        if draw(&root).and_then(|()| root.present()).is_err() {
            return String::new();
        }
    }
    text.replacen("<svg ", &format!("<svg role=\"img\" aria-label=\"{title}\" "), 1)
}

/// Sums of all flows by day, one above the other, by what they are.
pub(super) fn by_day(title: &str, days: &[String], flows: &[Flow]) -> String {
    let mut series: Vec<(&str, Vec<u64>)> = Vec::new();
    for count in flows.iter().flat_map(|flow| &flow.counts) {
        match series.iter_mut().find(|(what, _)| *what == count.what) {
            Some((_, sums)) => sums.iter_mut().zip(&count.by_day).for_each(|(sum, more)| *sum += more),
            None => series.push((count.what, count.by_day.clone())),
        }
    }
    series.retain(|(_, sums)| sums.iter().any(|sum| *sum > 0));
    let highest = (0..days.len()).map(|day| series.iter().map(|(_, sums)| sums[day]).sum()).max().unwrap_or(0);
    if highest == 0 {
        return String::new();
    }
    svg(title, |root| {
        let count = days.len();
        let (above, below) = root.split_vertically(LEGEND);
        legend(&above, series.iter().map(|(what, _)| *what))?;
        let mut chart = ChartBuilder::on(&below)
            .margin(8)
            .x_label_area_size(30)
            .y_label_area_size(60)
            .build_cartesian_2d(-0.5..count_of(count) - 0.5, 0f64..as_float(highest) * 1.05)?;
        let label = |place: &f64| day_at(days, *place);
        chart
            .configure_mesh()
            .disable_x_mesh()
            .light_line_style(TRANSPARENT)
            .bold_line_style(FAINT)
            .axis_style(INK)
            .label_style((FONT, LETTERS).into_font().color(&INK))
            .x_labels(count.clamp(2, 12))
            .x_label_formatter(&label)
            .y_labels(5)
            .y_label_formatter(&whole)
            .draw()?;
        let mut below = vec![0u64; count];
        for ((_, sums), colour) in series.iter().zip(COLOURS.iter().cycle()) {
            let bars =
                sums.iter().zip(&below).enumerate().filter(|(_, (sum, _))| **sum > 0).map(|(day, (sum, below))| {
                    let (left, right) = (count_of(day) - 0.4, count_of(day) + 0.4);
                    let (bottom, top) = (as_float(*below), as_float(*below + *sum));
                    Rectangle::new([(left, bottom), (right, top)], colour.filled())
                });
            chart.draw_series(bars)?;
            below.iter_mut().zip(sums).for_each(|(below, sum)| *below += sum);
        }
        Ok(())
    })
}

/// What each colour stands for, in a line above the plot.
fn legend<'a>(
    line: &DrawingArea<SVGBackend<'_>, plotters::coord::Shift>,
    words: impl Iterator<Item = &'a str>,
) -> Drawn {
    let mut x = 68;
    for (word, colour) in words.zip(COLOURS.iter().cycle()) {
        line.draw(&Rectangle::new([(x, 8), (x + 14, 22)], colour.filled()))?;
        line.draw(&Text::new(word.to_owned(), (x + 20, 7), (FONT, LETTERS).into_font().color(&INK)))?;
        x += 52 + 9 * i32::try_from(word.len()).unwrap_or_default();
    }
    Ok(())
}

/// How many changes took how long.
pub(super) fn spread(title: &str, spread: &[Spread]) -> String {
    let highest = spread.iter().map(|step| step.changes).max().unwrap_or(0);
    if highest == 0 {
        return String::new();
    }
    svg(title, |root| {
        let mut chart = ChartBuilder::on(root)
            .margin(8)
            .x_label_area_size(30)
            .y_label_area_size(60)
            .build_cartesian_2d((0..spread.len() - 1).into_segmented(), 0u64..highest + highest.div_ceil(10))?;
        let label = |place: &SegmentValue<usize>| match place {
            SegmentValue::CenterOf(at) => spread.get(*at).map_or(String::new(), |step| step.within.to_owned()),
            _ => String::new(),
        };
        chart
            .configure_mesh()
            .disable_x_mesh()
            .light_line_style(TRANSPARENT)
            .bold_line_style(FAINT)
            .axis_style(INK)
            .label_style((FONT, LETTERS).into_font().color(&INK))
            .x_labels(spread.len())
            .x_label_formatter(&label)
            .y_labels(5)
            .draw()?;
        chart.draw_series(
            Histogram::vertical(&chart)
                .style(COLOURS[0].filled())
                .margin(6)
                .data(spread.iter().enumerate().map(|(at, step)| (at, step.changes))),
        )?;
        Ok(())
    })
}

/// The day at a place of the axis, without its year.
fn day_at(days: &[String], place: f64) -> String {
    if place.fract() != 0.0 || place < 0.0 {
        return String::new();
    }
    #[expect(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "a place among the days")]
    let at = place as usize;
    days.get(at).and_then(|day| day.get(5..)).unwrap_or_default().to_owned()
}

fn whole(count: &f64) -> String {
    if count.fract() == 0.0 { format!("{count:.0}") } else { String::new() }
}

#[expect(clippy::cast_precision_loss, reason = "a pixel is coarser")]
fn as_float(count: u64) -> f64 {
    count as f64
}

fn count_of(count: usize) -> f64 {
    as_float(count as u64)
}
