//! The command line's words. docs/command-line.md lists them with examples; keep them stable.

mod batch;
mod many;
mod reduce;
mod unwrap;

pub use batch::{Batch, BatchTask};
pub use many::{Join, Split, Status, Submit, Work};
pub use reduce::Reduce;
pub use unwrap::{Margin, Unwrap};

use crate::options::map_ids;
use crate::words::{
    finite, parse_bytes, parse_depth, parse_distance, parse_green, parse_padding, parse_plane_size, parse_rectangle,
    parse_scale, parse_suffix_rule, parse_threads, parse_uvs,
};
use clap::{Args, Parser, Subcommand, ValueEnum};
use ember_ridge_core::hits::HitRule;
use ember_ridge_core::import::SuffixRule;
use ember_ridge_core::maps::{Green, IdSource};
use ember_ridge_core::mesh::{Facing, UvChoice, UvSet};
use ember_ridge_core::pairs::Pairing;
use ember_ridge_core::picture::{Depth, ImageFormat};
use ember_ridge_core::reach::Direction;
use ember_ridge_core::sheet::{Layout, Padding, RegionRectangle};
use ember_ridge_core::surface::Distance;
use ember_ridge_core::trace::BackFaces;
use ember_ridge_samples::SAMPLES;
use std::net::IpAddr;
use std::path::PathBuf;

/// Bake texture maps from high-poly sculpts onto low-poly meshes
#[derive(Parser)]
#[command(name = "ember-ridge", version, max_term_width = 110)]
pub struct Arguments {
    #[command(subcommand)]
    pub command: Command,
}

#[derive(Subcommand)]
pub enum Command {
    /// Serve the application to a browser on this machine
    Serve(Serve),
    /// Bake maps, from a recipe or from mesh files
    Bake(Box<Bake>),
    /// List what is wrong with meshes before they are baked
    Check(Check),
    /// Make a low-poly of a sculpt: fewer triangles, or a coarser level of what was refined face by face
    Reduce(Reduce),
    /// Make the UVs of a low-poly: cut, laid flat without a flipped face, and packed
    Unwrap(Unwrap),
    /// Write a sample asset's meshes and its recipe
    Sample(Sample),
    /// Finishes to start from: list them, or show one coat by coat
    Finish(Finish),
    /// Tell how far the maps of two bakes are apart, each in its true unit
    Compare(Compare),
    /// Take maps that another program made, so that compare and verify can be asked of them
    Import(Import),
    /// Hold the delivered files of a bake against the sculpt, as a renderer reads them, and name what is wrong
    Verify(Verify),
    /// Write the maps of a bake as a profile wants them, with meshes and a sheet of facts, and read all of it back
    Deliver(Deliver),
    /// Profiles of deliveries: list them, or print one as JSON to change it
    Profile(Profile),
    /// Pair the files of a folder by their names into assets; bake, deliver and verify each by one template
    Batch(Batch),
    #[command(hide = true)]
    BatchTask(BatchTask),
    /// Cut a bake up for many processes: a folder with all they need, and who makes which tiles
    Split(Split),
    /// Make the tiles of one share of a bake that was split
    Work(Work),
    /// Write the maps of a bake that was split, once all of its tiles are there
    Join(Join),
    /// Send a bake that was split to a cluster, or to processes on this machine
    Submit(Submit),
    /// Tell how far a bake that was split is
    Status(Status),
    /// Print a JSON Schema, with which editors complete and check
    Schema(Schema),
    /// Print the completions of a shell
    Completions(Completions),
    /// Write the manual pages
    Man(Man),
}

#[derive(Args)]
pub struct Serve {
    /// Folder for the database and the files it refers to
    #[arg(long, value_name = "DIR", default_value = "ember-ridge-data")]
    pub data: PathBuf,
    /// Address to listen on; any but this machine's own requires a token
    #[arg(long, default_value = "127.0.0.1")]
    pub address: IpAddr,
    /// Port to listen on
    #[arg(long, default_value_t = 4680)]
    pub port: u16,
    /// Memory that meshes, kept rays and pictures may take between requests, such as 2G or 512M [default: half the machine's]
    #[arg(long, value_name = "BYTES", value_parser = parse_bytes)]
    pub memory: Option<u64>,
    /// The only folder that deliveries are written to [default: deliveries, in the data folder]
    #[arg(long, value_name = "DIR")]
    pub deliveries: Option<PathBuf>,
    /// A file that describes a cluster on which finals may be baked [default: cluster.json, in the data folder]
    #[arg(long, value_name = "FILE")]
    pub cluster: Option<PathBuf>,
    /// Add the sample assets, baked, unless they are there already
    #[arg(long)]
    pub samples: bool,
}

#[derive(Args)]
pub struct Bake {
    /// A recipe file; mesh paths in it are relative to it
    #[arg(conflicts_with_all = ["low", "high", "cage"], required_unless_present_any = ["low", "plane", "make_low"])]
    pub recipe: Option<PathBuf>,
    /// Folder that the recipe's files are in [default: the folder of the recipe]
    #[arg(long, value_name = "DIR", requires = "recipe")]
    pub meshes: Option<PathBuf>,
    /// Low-poly mesh
    #[arg(long, value_name = "FILE")]
    pub low: Option<PathBuf>,
    /// High-poly mesh; may be given more than once
    #[arg(long, value_name = "FILE")]
    pub high: Vec<PathBuf>,
    /// In place of --low: a low-poly of at most so many triangles made of the high-poly, with UVs; it is written beside the maps
    #[arg(long, value_name = "TRIANGLES", conflicts_with_all = ["low", "plane", "recipe"], requires = "high")]
    pub make_low: Option<usize>,
    /// UVs to bake to: a set of the file by number or name (1, TEXCOORD_1), or planar-x, planar-y, planar-z
    #[arg(long, value_parser = parse_uvs, value_name = "UVS")]
    pub low_uvs: Option<UvChoice>,
    /// UV set that textures lie on, where it is not the one to bake to: patterns over texture UVs, MaterialX documents
    #[arg(long, value_name = "SET")]
    pub low_texture_uvs: Option<UvSet>,
    /// UVs of the high-poly that pictures use: the same choices
    #[arg(long, value_parser = parse_uvs, value_name = "UVS")]
    pub high_uvs: Option<UvChoice>,
    /// An existing normal map of the low-poly, to make ao, curvature and cavity from
    #[arg(long, value_name = "FILE")]
    pub normal_map: Option<PathBuf>,
    /// Direction of that map's green: + up, - down [default: as its slopes say]
    #[arg(long, value_parser = parse_green, allow_hyphen_values = true, requires = "normal_map")]
    pub normal_map_y: Option<Green>,
    /// A picture over the high-poly's UVs, for the color map
    #[arg(long, value_name = "FILE")]
    pub picture: Option<PathBuf>,
    /// In place of --low: a plane made here, facing this axis at height 0, as large as the high-poly
    #[arg(long, value_enum, value_name = "AXIS", conflicts_with_all = ["low", "recipe"])]
    pub plane: Option<FacingWord>,
    /// The plane's width and height in scene units, as WxH
    #[arg(long, value_parser = parse_plane_size, value_name = "WxH", requires = "plane")]
    pub plane_size: Option<[f32; 2]>,
    /// The plane's height along its axis
    #[arg(long, value_name = "D", requires = "plane", allow_hyphen_values = true, value_parser = finite)]
    pub plane_offset: Option<f32>,
    /// Repeat the plane at its edges: rays and occlusion that leave one side meet the high-poly's opposite end
    #[arg(long, requires = "plane")]
    pub repeats: bool,
    /// Cage mesh: the low-poly with its points moved outward
    #[arg(long, value_name = "FILE")]
    pub cage: Option<PathBuf>,
    /// Folder for the maps and report.json [default: the folder of the recipe, or `baked`]
    #[arg(long, value_name = "DIR")]
    pub out: Option<PathBuf>,
    /// Keep what the primary rays hit in this folder, for a later bake with --hits
    #[arg(long, value_name = "DIR")]
    pub keep_hits: Option<PathBuf>,
    /// Limit on the bytes of kept hits, such as 2G; what does not fit is traced again [default: none]
    #[arg(long, value_name = "BYTES", value_parser = parse_bytes, requires = "keep_hits")]
    pub keep_hits_most: Option<u64>,
    /// Reuse hits kept in this folder where rays have not changed; the others are traced
    #[arg(long, value_name = "DIR")]
    pub hits: Option<PathBuf>,
    /// Bake a proof: at most the recipe's proof size, one sample per texel
    #[arg(long)]
    pub proof: bool,
    /// Bake only this rectangle of the sheet, from its lower left to its upper right corner in UV units; @N for another sheet than the
    /// first, counted from 0. May be given more than once. Everything else comes from --into
    #[arg(long, value_name = "U,V,U,V[@N]", value_parser = parse_rectangle, requires = "into", conflicts_with = "proof")]
    pub region: Vec<RegionRectangle>,
    /// Folder of the earlier bake that a region is baked into; it stays as it is
    #[arg(long, value_name = "DIR")]
    pub into: Option<PathBuf>,
    /// Print the report to standard output
    #[arg(long)]
    pub json: bool,
    #[arg(long, value_delimiter = ',', help = format!("Maps, separated by commas: {}", map_ids().join(", ")))]
    pub maps: Vec<String>,
    /// A file of masks (JSON): they join the recipe's, and each is baked unless --maps chooses
    #[arg(long, value_name = "FILE", action = clap::ArgAction::Append)]
    pub masks: Vec<PathBuf>,
    /// A ready-made finish by name, a file of finishes (JSON), or a MaterialX document (FILE.mtlx, or FILE.mtlx:MATERIAL): its maps are
    /// baked too unless --maps chooses
    #[arg(long, value_name = "NAME|FILE", action = clap::ArgAction::Append)]
    pub finish: Vec<String>,
    /// Texels per side
    #[arg(long)]
    pub size: Option<u32>,
    /// Samples per texel: 1, 4, 16 or 64
    #[arg(long)]
    pub samples: Option<u32>,
    /// Texels of padding around islands, or `all`
    #[arg(long, value_parser = parse_padding)]
    pub padding: Option<Padding>,
    /// How far outside the low-poly rays start, in scene units, or `auto`
    #[arg(long, value_parser = parse_distance, value_name = "D")]
    pub reach_out: Option<Distance>,
    /// How far inside the low-poly rays go, in scene units, or `auto`
    #[arg(long, value_parser = parse_distance, value_name = "D")]
    pub reach_in: Option<Distance>,
    /// Both reaches measured from the meshes
    #[arg(long, value_enum, conflicts_with_all = ["reach_out", "reach_in"])]
    pub reach: Option<ReachWord>,
    /// Direction of the rays
    #[arg(long, value_enum)]
    pub direction: Option<DirectionWord>,
    /// Which surface along a ray is taken where it crosses several
    #[arg(long, value_enum)]
    pub hit: Option<HitWord>,
    /// How parts are paired: which high-poly parts a low-poly part's rays may hit
    #[arg(long, value_enum)]
    pub pair: Option<PairWord>,
    /// Whether rays skip faces that point away, or keep them
    #[arg(long, value_enum)]
    pub back_faces: Option<BackFacesWord>,
    /// Direction of the normal map's green: + up, - down
    #[arg(long, value_parser = parse_green, allow_hyphen_values = true)]
    pub normal_y: Option<Green>,
    /// Bits per channel: 8, 16 or 32f (float)
    #[arg(long, value_parser = parse_depth)]
    pub depth: Option<Depth>,
    /// File format of the maps
    #[arg(long, value_enum)]
    pub format: Option<FormatWord>,
    /// Another format for the color map
    #[arg(long, value_enum)]
    pub color_format: Option<ColorFormatWord>,
    /// Dither 8-bit maps, to avoid steps in smooth gradients
    #[arg(long)]
    pub dither: bool,
    /// How many sheets: one for all, one per material, or one per UDIM tile
    #[arg(long, value_enum)]
    pub sheets: Option<SheetsWord>,
    /// Rays per texel of ao and bent-normal: a power of two from 4 to 512
    #[arg(long, value_name = "N")]
    pub ao_rays: Option<u32>,
    /// How far away surfaces still darken ao and bent-normal, in scene units, or `auto`
    #[arg(long, value_parser = parse_distance, value_name = "D")]
    pub ao_distance: Option<Distance>,
    /// Radius of a sphere that is white in curvature, in scene units, or `auto`
    #[arg(long, value_parser = parse_distance, value_name = "D")]
    pub curvature_radius: Option<Distance>,
    /// Detail size of curvature and cavity, in scene units, or `auto`
    #[arg(long, value_parser = parse_distance, value_name = "D")]
    pub detail_size: Option<Distance>,
    /// Height from black to white in displacement, in scene units, or `auto`
    #[arg(long, value_parser = parse_distance, value_name = "S")]
    pub displacement_scale: Option<Distance>,
    /// Any setting of any map or mask, as in a recipe: cavity.method=curvature, masks.dust.place.blur=0.01
    #[arg(long = "set", value_name = "MAP.SETTING=VALUE")]
    pub set: Vec<String>,
    /// What a region of the ID map is
    #[arg(long, value_enum)]
    pub id_from: Option<IdWord>,
    /// Seed of the sampling patterns: the same seed gives the same bytes
    #[arg(long)]
    pub seed: Option<u64>,
    /// Threads to use, at most 1024 [default: one per core]
    #[arg(long, default_value_t = 0, hide_default_value = true, value_parser = parse_threads)]
    pub threads: usize,
}

#[derive(Args)]
pub struct Import {
    /// Folder of the maps, or the map files themselves
    #[arg(required = true, value_name = "FOLDER|FILE")]
    pub maps: Vec<PathBuf>,
    /// Recipe of the asset that they are maps of
    #[arg(long)]
    pub recipe: PathBuf,
    /// Folder to write them to, with a report.json
    #[arg(long, value_name = "DIR")]
    pub out: PathBuf,
    /// Folder of the recipe's meshes [default: that of the recipe]
    #[arg(long, value_name = "DIR")]
    pub meshes: Option<PathBuf>,
    /// What a file is whose name ends so: --as h=displacement
    #[arg(long = "as", value_name = "SUFFIX=MAP", value_parser = parse_suffix_rule)]
    pub rules: Vec<SuffixRule>,
    /// Which way green points in the normal map: + or - [default: found out from its slopes]
    #[arg(long, value_name = "+|-", value_parser = parse_green, allow_hyphen_values = true)]
    pub normal_y: Option<Green>,
    /// Displacement in whole numbers: from black to white, scene units
    #[arg(long, value_name = "UNITS", value_parser = parse_scale)]
    pub scale: Option<f32>,
    /// Print the report as JSON
    #[arg(long)]
    pub json: bool,
}

#[derive(Args)]
pub struct Compare {
    /// Folder of a bake, with its report.json
    pub a: PathBuf,
    /// Folder of another
    pub b: PathBuf,
    /// Folder of their low-polys, which tell what texels are covered [default: theirs, the one above, or this one]
    #[arg(long, value_name = "DIR")]
    pub meshes: Option<PathBuf>,
    /// Print the differences as JSON
    #[arg(long)]
    pub json: bool,
}

#[derive(Args)]
pub struct Verify {
    /// Folder of a bake, with its report.json
    pub out: PathBuf,
    /// Verify what was delivered of it, in this folder, instead of its own files
    #[arg(long, value_name = "DIR")]
    pub delivery: Option<PathBuf>,
    /// Folder of the recipe's meshes [default: that folder, the one above, or this one]
    #[arg(long, value_name = "DIR")]
    pub meshes: Option<PathBuf>,
    /// Print what was found as JSON
    #[arg(long)]
    pub json: bool,
}

#[derive(Args)]
pub struct Deliver {
    /// Folder of a bake, with its report.json
    pub out: PathBuf,
    /// A profile that comes with the program, by name, or one as a JSON file
    #[arg(long, value_name = "NAME")]
    pub profile: String,
    /// Folder to deliver to, or a zip file (.zip)
    #[arg(long, value_name = "DIR|FILE.zip", required_unless_present = "list")]
    pub to: Option<PathBuf>,
    /// Folder of the recipe's meshes [default: that folder, the one above, or this one]
    #[arg(long, value_name = "DIR")]
    pub meshes: Option<PathBuf>,
    /// Replace a delivery that is there; it is kept beside the new one, with its version in its name
    #[arg(long)]
    pub replace: bool,
    /// Print the files it would write and what stands against that, and write nothing
    #[arg(long, conflicts_with = "to")]
    pub list: bool,
    /// Print files, findings and checks as JSON
    #[arg(long)]
    pub json: bool,
}

#[derive(Args)]
pub struct Profile {
    /// The profile to print [default: list all]
    pub name: Option<String>,
}

#[derive(Args)]
pub struct Schema {
    #[arg(value_enum, default_value_t = SchemaOf::Recipe)]
    pub of: SchemaOf,
}

#[derive(Clone, Copy, ValueEnum)]
pub enum SchemaOf {
    Recipe,
    Profile,
}

#[derive(Args)]
pub struct Completions {
    pub shell: clap_complete::Shell,
}

#[derive(Args)]
pub struct Man {
    /// Folder for the pages
    #[arg(long, value_name = "DIR", default_value = ".")]
    pub out: PathBuf,
}

#[derive(Args)]
pub struct Check {
    /// Mesh files, or recipes (.json), whose files are checked as the recipe uses, places and pairs them
    #[arg(required_unless_present = "low")]
    pub files: Vec<PathBuf>,
    /// Check this mesh as a low-poly, with its UVs
    #[arg(long, value_name = "FILE")]
    pub low: Vec<PathBuf>,
    /// Print what was read and what was found as JSON
    #[arg(long)]
    pub json: bool,
    /// Fix what is safe to fix: a recipe gets steps for its files, a mesh a fixed copy in the folder of --out
    #[arg(long)]
    pub fix: bool,
    /// Folder for fixed copies of mesh files
    #[arg(long, value_name = "DIR", requires = "fix")]
    pub out: Option<PathBuf>,
}

#[derive(Args)]
pub struct Finish {
    #[command(subcommand)]
    pub what: FinishWhat,
}

#[derive(Subcommand)]
pub enum FinishWhat {
    /// List the ready-made finishes
    List {
        /// Print them as JSON
        #[arg(long)]
        json: bool,
    },
    /// Show a ready-made finish, the finishes of a file, or what is understood of a MaterialX document, node by node
    Show {
        /// Name of a ready-made finish, a file of finishes (.json), or a MaterialX document (.mtlx, or .mtlx:MATERIAL)
        name: String,
        /// Print it as JSON, as a recipe and --finish take it
        #[arg(long)]
        json: bool,
        /// The asset from corner to corner, scene units: ready-made finishes suit their lengths to it
        #[arg(long, value_name = "D", default_value_t = 1.0, value_parser = finite)]
        diagonal: f32,
    },
    /// Write a finish as a MaterialX document, as far as the standard's nodes reach; what is left out is told
    Write {
        /// Name of a ready-made finish, or a file of finishes (.json)
        name: String,
        /// The document to write (.mtlx)
        #[arg(long, value_name = "FILE")]
        out: PathBuf,
        /// The asset from corner to corner, scene units: ready-made finishes suit their lengths to it
        #[arg(long, value_name = "D", default_value_t = 1.0, value_parser = finite)]
        diagonal: f32,
    },
}

#[derive(Args)]
pub struct Sample {
    #[arg(help = format!("Which one: {}", SAMPLES.join(", ")))]
    pub name: String,
    /// Folder to write it to; made if it is not there
    #[arg(long, value_name = "DIR")]
    pub out: PathBuf,
}

/// A word of the command line for each value of a setting; the doc comment of each value is its help.
macro_rules! words {
    ($name:ident => $target:ty { $($word:ident $(= $spelled:literal)? => $value:expr),+ $(,)? }) => {
        #[derive(Clone, Copy, ValueEnum)]
        pub enum $name { $($(#[value(name = $spelled)])? $word),+ }

        impl From<$name> for $target {
            fn from(word: $name) -> $target {
                match word { $($name::$word => $value),+ }
            }
        }
    };
}

words!(ReachWord => Distance { Auto => Distance::Auto });
words!(DirectionWord => Direction { Averaged => Direction::Averaged, Plumb => Direction::Plumb });
words!(HitWord => HitRule { Outermost => HitRule::Outermost, Nearest => HitRule::Nearest });
words!(PairWord => Pairing { Names => Pairing::Names, Space => Pairing::Space, All => Pairing::All });
words!(FacingWord => Facing { X => Facing::X, Y => Facing::Y, Z => Facing::Z });
words!(BackFacesWord => BackFaces { Skip => BackFaces::Skip, Keep => BackFaces::Keep });
words!(FormatWord => ImageFormat { Png => ImageFormat::Png, Tiff => ImageFormat::Tiff, Exr => ImageFormat::Exr });
words!(ColorFormatWord => ImageFormat {
    Png => ImageFormat::Png,
    Tiff => ImageFormat::Tiff,
    Exr => ImageFormat::Exr,
    Tga => ImageFormat::Tga,
    Jpeg => ImageFormat::Jpeg,
});
words!(SheetsWord => Layout { One => Layout::One, Materials => Layout::Materials, Udim => Layout::Udim });
words!(IdWord => IdSource {
    Color => IdSource::Color,
    Material => IdSource::Material,
    Part => IdSource::Part,
    Piece => IdSource::Piece,
    LowPart => IdSource::LowPart,
    Island => IdSource::Island,
    MaterialPart => IdSource::MaterialPart,
});
