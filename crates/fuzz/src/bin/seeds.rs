//! Writes the good files of every reader into folders of a folder, for a search to begin with:
//! `seeds FOLDER`.

use std::fs;
use std::io;
use std::path::Path;

use wayodos_fuzz::READERS;

fn main() -> io::Result<()> {
    let Some(folder) = std::env::args_os().nth(1) else {
        return Err(io::Error::new(io::ErrorKind::InvalidInput, "name a folder"));
    };
    for reader in READERS {
        let folder = Path::new(&folder).join(reader.name);
        fs::create_dir_all(&folder)?;
        for (index, seed) in (reader.seeds)().into_iter().enumerate() {
            fs::write(folder.join(format!("good-{index}")), seed)?;
        }
        println!("{}", reader.name);
    }
    Ok(())
}
