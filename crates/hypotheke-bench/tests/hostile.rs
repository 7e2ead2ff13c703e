//! What a hostile save of a megabyte takes of memory before it is refused, counted by an allocator
//! that counts.

use hypotheke::save::Save;

#[global_allocator]
static ALLOCATOR: dhat::Alloc = dhat::Alloc;

const MOST: usize = 20_000_000;

#[test]
fn a_hostile_save_is_refused_in_little_memory() {
    let saves = hypotheke_bench::hostile::saves();
    for (what, bytes) in &saves {
        let profiler = dhat::Profiler::builder().testing().build();
        let refused = Save::read(bytes);
        let most = dhat::HeapStats::get().max_bytes;
        drop(profiler);
        assert!(refused.is_err(), "{what}");
        assert!((400_000..1_600_000).contains(&bytes.len()), "{what}: {} bytes", bytes.len());
        println!("{:6.1} MB  {what}: {}", most as f64 / 1e6, refused.map_or_else(|error| error.code(), |_| ""));
        assert!(most <= MOST, "{what}: {most} bytes");
    }
}
