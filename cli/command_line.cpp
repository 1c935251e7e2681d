#include "cli/command_line.h"

namespace ampletie::cli {

std::string list_names() {
  std::string out;
  for (const char *l : list_titles) out += (out.empty() ? "" : ", ") + std::string(l);
  return out;
}

std::vector<std::string> CommandLine::commands() const {
  std::vector<std::string> out;
  for (const CLI::App *c : app.get_subcommands([](const CLI::App *) { return true; })) out.push_back(c->get_name());
  return out;
}

// Long because it is the table of all commands, in the order in which help shows them.
CommandLine::CommandLine() {
  app.require_subcommand(1);
  auto command = [&](const char *name, const char *help, bool has_job = true) {
    auto *c = app.add_subcommand(name, help);
    if (has_job) c->add_option("JOB", a.job, "the job file")->required();
    c->callback([this, name] { chosen = name; });
    return c;
  };
  auto because = [&](CLI::App *c) {
    c->add_option("--because", a.because, "the reason, kept with the decision");
    c->add_option("--by", a.by, "who decides, in place of the login name");
  };

  auto *c = command("new", "make a job");
  c->add_option("--crs", a.crs,
                "projected system: EPSG code, WKT, +proj=…, or parameters (transverse-mercator lat=46 lon=15); "
                "local:LAT:LON:H: a plane of the site's own; left away: heights alone");
  c->add_option("--vertical", a.vertical, "vertical system, EPSG code");
  c->add_option("--realisation", a.realisation, "frame that the datum stands for");
  c->add_option("--epoch", a.epoch, "date of the issued coordinates")->required();
  c->add_option("--title", a.title, "title");
  c->add_option("--template", a.template_file,
                "settings to begin with, as `template` keeps them; what is said here counts");
  c = command("template", "keep the job's settings as a file that other jobs can begin with");
  c->add_option("FILE", a.item, "file to write")->required();
  c = command("take", "take files into the job");
  c->add_option("FILE", a.files, "files, kinds are recognised by content")->required();
  c->add_option("--as", a.as, "levels, pointings, control, vectors or stops: a text that no recipe knows yet")
      ->check(CLI::IsMember({"levels", "pointings", "control", "vectors", "stops"}));
  c = command("watch", "take files from a folder as they become whole");
  c->add_option("FOLDER", a.folder, "is only read")->required();
  c->add_option("--quiet", a.quiet, "seconds without a change after which a file is whole")
      ->check(CLI::Range(0.0, 86400.0));
  c->add_option("--for", a.watch_for, "seconds; 0: until it is stopped")->check(CLI::Range(0.0, 1e7));
  c->add_flag("--all", a.all, "when it ends: of files that still grow what there is up to their last whole epoch");
  c = command("fetch", "fetch from an archive of reference data what the job needs, and take it");
  c->add_option("ADDRESS", a.item, "http://HOST/FOLDER, where its index.json lies")->required();
  c->add_option("--within", a.within, "km from a receiver in the field: whose stations")->check(CLI::Range(0.0, 2e4));
  c->add_flag("--look", a.look, "only say what is needed and what is there");
  c->add_flag("--solve", a.solve_then, "solve what is out of date when something came");
  c->add_flag("--json", a.json, "what is needed as JSON");
  c = command("set", "correct an occupation, change settings, accept a doubt");
  c->add_option("WORDS", a.words,
                "occupation ID NAME=VALUE… | vector ID NAME=VALUE… | run ID NAME=VALUE… | reading FILE:LINE mark=NAME "
                "| staff NAME scale=PPM | setup MARK NAME=VALUE… | pointing FILE:LINE NAME=VALUE… | route NAME "
                "NAME=VALUE… | "
                "fit SYSTEM list=FILE plan=… height=… | fit SYSTEM mark=NAME at_east=… at_north=… toward=NAME "
                "bearing=… | pair SYSTEM MARK use=…|with=NAME | "
                "also NAME crs=CODE through=GRID | group kind=levels factor=1.5 | "
                "source FILE "
                "recipe=NAME|seen=yes|geoid=yes|interpolation=bicubic|accuracy=yes|shifts=yes|bases=published|vectors="
                "yes|unit=ft|"
                "exchanged=yes|turned=east|"
                "packed=yes|frame=…|epoch=…|crs=…|through=GRID|sd=M… | "
                "field NAME mark=… height=… to=… start=… stop=… | mark NAME monument=…|access=…|issued=no | "
                "job|solve|limit|weight|levels|traverse|issue NAME=VALUE… | accept DOUBT")
      ->required();
  c->add_flag("--ahead", a.ahead, "of something whose data come later");
  because(c);
  c = command("plan", "plan marks, sessions, levels and sights; `show plan` says what they will reach");
  c->add_option("WORDS", a.words,
                "mark NAME east=… north=… height=…, or lat= lon= height= | session NAME marks=A,B,C "
                "start=2026-06-02T08:00 minutes=60 [mask=DEG] | line NAME from=A to=B [km=2.3] [sd=MM over a km] | "
                "station MARK targets=B,C [direction=″ zenith=″ distance=MM ppm=…] | KIND NAME planned=no")
      ->required();
  because(c);
  for (bool check : {false, true}) {
    c = command(check ? "check" : "hold", check ? "compare a mark with coordinates, never use them" : "hold a mark");
    c->add_option("MARK", a.mark, "the mark")->required();
    c->add_option("--xyz", a.xyz, "geocentric, m")->expected(3);
    c->add_option("--geodetic", a.geodetic, "latitude, longitude, ellipsoidal height")->expected(3);
    c->add_option("--grid", a.grid, "east, north, physical height, m")->expected(3);
    c->add_option("--sd", a.sd,
                  "standard deviations east, north, up, m: published, or the spread of the station's series")
        ->expected(3);
    c->add_option("--height", a.height, "physical height alone, m: a benchmark");
    c->add_option("--height-sd", a.height_sd, "its standard deviation, m")->check(CLI::Range(0.0, 10.0));
    c->add_option("--velocity", a.velocity, "geocentric, m per year, in the frame of the coordinates")->expected(3);
    if (!check) c->add_flag("--weighted", a.weighted, "as observations with their published uncertainty");
    c->add_option("--only", a.only, "plan or height")->check(CLI::IsMember({"plan", "height"}));
    c->add_option("--frame", a.frame, "frame of the coordinates");
    c->add_option("--coordinate-epoch", a.coordinate_epoch, "epoch of the coordinates");
    c->add_flag("--ahead", a.ahead, "a mark whose data come later");
    because(c);
  }
  c = command("release", "hold a mark no longer");
  c->add_option("MARK", a.item, "the mark")->required();
  because(c);
  c = command("leave-out", "leave an occupation, a vector or a satellite's span out");
  c->add_option("ITEM", a.item, "id, or G07@2026-05-12T09:10:00/09:25:00")->required();
  because(c);
  c = command("use", "use something again");
  c->add_option("ITEM", a.item, "id as left out")->required();
  because(c);
  command("undo", "withdraw the last decision");
  command("redo", "make the last withdrawn decision again");
  c = command("solve", "solve vectors and tracks");
  c->add_option("WHAT", a.what, "vectors or tracks; both unless said");
  c->add_option("--mask", a.mask, "elevation mask, degrees");
  c->add_option("--interval", a.interval, "seconds");
  c->add_option("--orbits", a.orbits, "broadcast or precise");
  c->add_option("--systems", a.systems, "letters out of G R E C J");
  c->add_option("--frequencies", a.frequencies, "at most this many per satellite");
  c->add_option("--sessions", a.sessions, "together or one by one");
  c->add_option("--pairs", a.pairs, "as needed or all, of receivers that logged with many others");
  c->add_option("--threads", a.threads, "0: all cores");
  c->add_option("--shard", a.shard, "I/N: this piece of N alone, on a copy of the job");
  c = command("merge", "take over what copies of the job have solved");
  c->add_option("COPY", a.files, "job files")->required();
  c = command("adjust", "adjust the network");
  c->add_flag("--free", a.free, "no mark is favoured");
  c->add_flag("--minimal", a.minimal, "one held mark per group");
  c = command("show", "print a list");
  c->add_option("LIST", a.list, list_names())->required();
  c->add_flag("--json", a.json, "as JSON");
  c->add_option("--in", a.frame_of_rows, "job: vectors in the job's frame")->check(CLI::IsMember({"job", "orbits"}));
  c = command("report", "write the GNSS evidence or the level report");
  c->add_option("FILE", a.files, "ends in .html or .pdf, heights of levels in .csv")->required()->expected(1);
  c->add_flag("--levels", a.levels, "of the levels");
  c->add_flag("--traverses", a.traverses, "of the total stations");
  c->add_flag("--plan", a.plan, "what is planned, for the crew");
  c = command("export", "write an occupation, as corrected, as RINEX 3.05; or a track as .csv, .geojson, .gpx, .kml, "
                        ".gpkg, .xml or .snx");
  c->add_option("OCCUPATION", a.item, "id, mark or mark@start; of a track: its receiver")->required();
  c->add_option("FILE", a.files, "observation file, and a navigation file if wanted")->required()->expected(1, 2);
  c->add_option("--columns", a.columns, "of a track's table, in this order: time,grid_east,grid_north,height,…")
      ->delimiter(',');
  c = command("trace", "where a mark's coordinates come from");
  c->add_option("MARK", a.mark, "the mark")->required();
  c->add_flag("--json", a.json, "as JSON, everything");
  c->add_flag("--all", a.all, "everything, not only what moves it most");
  c = command("measure", "from one adjusted mark to another: lengths, direction, heights, and how accurate they are");
  c->add_option("MARKS", a.words, "from and to")->required()->expected(2);
  c->add_option("--axis", a.axis,
                "of two drives that meet: the mark that the first one came from, or the axis's bearing in the grid, °");
  c->add_flag("--planned", a.planned, "as the plan will reach it, in place of what is adjusted");
  c->add_flag("--json", a.json, "as JSON");
  c = command("issue", "issue control into a folder");
  c->add_option("FOLDER", a.folder, "made if missing")->required();
  c->add_option("--marks", a.marks, "only these, separated by commas")->delimiter(',');
  c->add_option("--provisional", a.provisional, "provisional coordinates of this traverse instead, marked as such");
  c->add_option("--units", a.unit, "m, ft or us-ft")->check(CLI::IsMember({"m", "ft", "us-ft"}));
  c = command("sign", "sign that you, as a second person, looked at the coordinates as they are now (--by NAME)");
  c->add_option("--looked", a.looked, "at what: antenna heights against the field sheet, held marks against the list …")
      ->required();
  because(c);
  c = command("verify", "look whether a folder holds what was issued, without the job", false);
  c->add_option("FOLDER", a.folder, "with the record and what was written from it")->required();
  c = command("cut", "cut a part out of a geoid grid, for a job or for the field", false);
  c->add_option("FILES", a.files, "the grid (GTX, ISG, GeoTIFF), and what is written (.gtx or .isg)")
      ->required()
      ->expected(2);
  c->add_option("--centre", a.centre, "latitude and longitude of the middle")->expected(2)->allow_extra_args(false);
  c->add_option("--job", a.of_job, "around the marks of this job");
  c->add_option("--radius", a.radius, "km around it, or around the job's marks")->check(CLI::Range(0.1, 5000.0));
  c = command("systems", "look for grids and height systems of the register", false);
  c->add_option("WORDS", a.words, "that name, area or code hold");
  c->add_option("--at", a.centre, "latitude and longitude: what can be used there comes with the reason where not")
      ->expected(2)
      ->allow_extra_args(false);
  c->add_option("--job", a.of_job, "where this job is");
  c->add_option("--kind", a.what_kind, "projected, vertical, geographic, geocentric or compound")
      ->check(CLI::IsMember({"projected", "vertical", "geographic", "geocentric", "compound"}));
  c->add_flag("--json", a.json, "as JSON");
  c = command("stack", "add up many days' solutions of one network: velocities, series, steps", false);
  c->add_option("FOLDER", a.folder, "where report, list of marks and series go")->required();
  c->add_option("FILE", a.files, "SINEX solutions with their matrix, or folders of them")->required();
  c->add_option("--core", a.marks, "marks that give the datum; all unless said")->delimiter(',');
  c->add_option("--given", a.given, "list with coordinates and velocities of those, in the frame of the solutions");
  c->add_option("--step", a.words, "MARK@2021-07-01: jumped then; may be said several times");
  c->add_option("--epoch", a.epoch, "date of the coordinates; the middle unless said");
  c->add_flag("--no-rotation", a.no_rotation, "days differ by a shift alone");
  c->add_flag("--scale", a.with_scale, "and by a scale");
  c->add_flag("--seasonal", a.seasonal, "waves of a year and half a year");
  c->add_flag("--json", a.json, "velocities as JSON");
  c = command("simulate", "make a field campaign from a scenario", false);
  c->add_option("SCENARIO", a.scenario, "scenario file")->required();
  c->add_option("FOLDER", a.folder, "where the files go")->required();

  c = command("serve", "be an archive of reference data: serve a folder on this machine", false);
  c->add_option("FOLDER", a.folder, "observations, orbits, clocks, calibrations, control lists")->required();
  c->add_option("--port", a.port, "0: any that is free")->check(CLI::Range(0, 65535));
  c->add_option("--now", a.now, "the date that it believes: products that come later are not there yet");
  c->add_option("--mistake", a.mistake, "what goes wrong with every third file")
      ->check(CLI::IsMember({"none", "cut-off", "no-ranges", "damaged", "spoilt", "busy", "gone", "longer"}));
  c->add_option("--seed", a.seed, "which files");
  c->add_option("--for", a.watch_for, "seconds; 0: until it is stopped")->check(CLI::Range(0.0, 1e7));

  c = command("batch", "do many commands on one open job, one a line, without \"ample\" and the job's name");
  c->add_option("FILE", a.files, "the lines; - reads them from the standard input")->required()->expected(1);
  c->add_flag("--stop", a.all, "end at the first line that is refused");
}

} // namespace ampletie::cli
