//! Renditions of 100 made-up pictures of 12 megapixels, beside Pillow and libvips in the same run:
//! `cargo bench --bench pictures`. The others are asked where `PICTURE_PYTHON` names a Python that has them (`Pillow`,
//! `pyvips[binary]`); else only our own figure is told.

#![expect(clippy::unwrap_used, clippy::print_stdout, reason = "a benchmark stops where anything fails")]

use std::fs;
use std::path::{Path, PathBuf};
use std::process::Command;
use std::sync::atomic::{AtomicUsize, Ordering};
use std::time::Instant;

use diaporos_core::image::{Fit, PictureFormat, PictureOrder, Rendition, Size};
use diaporos_systems::picture::made;
use image::codecs::jpeg::JpegEncoder;
use image::{ImageEncoder, RgbImage};

const PICTURES: usize = 100;
const WIDTH: u32 = 4_000;
const HEIGHT: u32 = 3_000;

/// A made-up picture with leaves of light and shade, and grain as a camera has it.
fn picture(number: usize) -> Vec<u8> {
    let mut grain = fastrand::Rng::with_seed(number as u64);
    let mut pixels = Vec::with_capacity((WIDTH * HEIGHT * 3) as usize);
    for y in 0..HEIGHT {
        for x in 0..WIDTH {
            let leaf = ((x as f32 / (60.0 + number as f32)).sin() * (y as f32 / 75.0).cos() + 1.0) * 90.0;
            let noise = f32::from(grain.u8(0..24));
            pixels.extend([(leaf * 0.5 + noise) as u8, (leaf + 30.0 + noise) as u8, (leaf * 0.3 + noise) as u8]);
        }
    }
    let image = RgbImage::from_raw(WIDTH, HEIGHT, pixels).unwrap();
    let mut bytes = Vec::new();
    let encoder = JpegEncoder::new_with_quality(&mut bytes, 88);
    encoder.write_image(&image, WIDTH, HEIGHT, image::ExtendedColorType::Rgb8).unwrap();
    bytes
}

fn order() -> PictureOrder {
    let (size, fit, format) = (Size::Both(1200, 630), Fit::Cover, PictureFormat::Jpeg);
    let rendition = Rendition { size, fit, background: None, format, quality: 82, enlarges: false };
    PictureOrder { name: "top-story".to_owned(), rendition, focal_point: None, area: None, cut: None }
}

/// Seconds for all pictures on so many threads.
fn ours(files: &[PathBuf], out: &Path, threads: usize) -> f64 {
    let (next, order) = (AtomicUsize::new(0), order());
    let began = Instant::now();
    std::thread::scope(|scope| {
        for _ in 0..threads {
            scope.spawn(|| {
                while let Some(file) = files.get(next.fetch_add(1, Ordering::Relaxed)) {
                    let rendition = made(&fs::read(file).unwrap(), &order).unwrap();
                    fs::write(out.join(file.file_name().unwrap()), rendition.bytes).unwrap();
                }
            });
        }
    });
    began.elapsed().as_secs_f64()
}

/// The most memory that this process ever had, in MiB; the kernel is told to count anew first.
fn count_anew() {
    let _ = fs::write("/proc/self/clear_refs", "5");
}

fn peak() -> f64 {
    let status = fs::read_to_string("/proc/self/status").unwrap();
    let line = status.lines().find(|line| line.starts_with("VmHWM")).unwrap();
    line.split_whitespace().nth(1).unwrap().parse::<f64>().unwrap() / 1024.0
}

fn main() {
    let folder = tempfile::tempdir().unwrap();
    let (from, out) = (folder.path().join("from"), folder.path().join("out"));
    fs::create_dir_all(&from).unwrap();
    fs::create_dir_all(&out).unwrap();
    let numbers = AtomicUsize::new(0);
    std::thread::scope(|scope| {
        for _ in 0..2 {
            scope.spawn(|| {
                loop {
                    let number = numbers.fetch_add(1, Ordering::Relaxed);
                    if number >= PICTURES {
                        break;
                    }
                    fs::write(from.join(format!("{number:03}.jpg")), picture(number)).unwrap();
                }
            });
        }
    });
    let mut files: Vec<PathBuf> = fs::read_dir(&from).unwrap().map(|file| file.unwrap().path()).collect();
    files.sort();
    let rate = |seconds: f64| PICTURES as f64 / seconds;
    for threads in [1, 2] {
        count_anew();
        let seconds = ours(&files, &out, threads);
        println!(
            "{:<36} {:>7.1} pictures/s, {:>6.0} MiB at most",
            format!("ours, {threads} at once"),
            rate(seconds),
            peak()
        );
    }
    let Ok(python) = std::env::var("PICTURE_PYTHON") else {
        println!("Pillow and libvips were not asked: PICTURE_PYTHON names no Python that has them");
        return;
    };
    let script = concat!(env!("CARGO_MANIFEST_DIR"), "/benches/pictures/rival.py");
    for rival in ["pillow", "libvips"] {
        let run = Command::new(&python).arg(script).arg(rival).arg(&from).arg(&out).output().unwrap();
        let told: serde_json::Value = serde_json::from_slice(&run.stdout).unwrap();
        let (seconds, kib) = (told["seconds"].as_f64().unwrap(), told["kib"].as_f64().unwrap());
        let (one, two) = (ours(&files, &out, 1), ours(&files, &out, 2));
        println!(
            "{rival:<36} {:>7.1} pictures/s, {:>6.0} MiB at most; ours {:.2} of it alone, {:.2} on two cores",
            rate(seconds),
            kib / 1024.0,
            seconds / one,
            seconds / two
        );
    }
}
