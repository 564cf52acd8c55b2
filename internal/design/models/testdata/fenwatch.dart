// Made by `yalvo types --for dart` from the design of fenwatch. Make it anew when the design has changed.

typedef Json = Map<String, dynamic>;

/// A document with its facts and kept values. [building] names kept values that are being derived anew.
class Document<F, K> {
  Document(this.id, this.path, this.version, this.created, this.updated, this.facts, this.kept, this.building, this.since, this.top);

  final String id, path;
  final int version;
  final DateTime created, updated;
  final F facts;
  final K kept;
  final List<String> building;
  final DateTime? since;
  final bool top;

  static Document<F, K> fromJson<F, K>(Json j, F Function(Json) facts, K Function(Json) kept) => Document(
      j['id'] as String, j['path'] as String, j['version'] as int, DateTime.parse(j['created'] as String),
      DateTime.parse(j['updated'] as String), facts(j['facts'] as Json), kept(j['kept'] as Json),
      [...?(j['building'] as List?)?.cast<String>()],
      j['since'] == null ? null : DateTime.parse(j['since'] as String), j['top'] as bool? ?? false);
}

/// An entry of a timeline.
class Entry<F, K> {
  Entry(this.id, this.path, this.at, this.author, this.facts, this.kept);

  final String id, path, author;
  final DateTime at;
  final F facts;
  final K kept;

  static Entry<F, K> fromJson<F, K>(Json j, F Function(Json) facts, K Function(Json) kept) => Entry(
      j['id'] as String, j['path'] as String, DateTime.parse(j['at'] as String), j['author'] as String,
      facts(j['facts'] as Json), kept(j['kept'] as Json));
}

/// What may be written of members.
class MembersFacts {
  MembersFacts({required this.handle, required this.name, this.about, this.portrait, this.joined, this.muted, this.warden, this.pinned});

  final String handle;
  final String name;
  final String? about;
  final String? portrait;
  final DateTime? joined;
  final bool? muted;
  final bool? warden;
  final String? pinned;

  factory MembersFacts.fromJson(Json j) => MembersFacts(
      handle: j['handle'] as String,
      name: j['name'] as String,
      about: j['about'] == null ? null : j['about'] as String,
      portrait: j['portrait'] == null ? null : j['portrait'] as String,
      joined: j['joined'] == null ? null : DateTime.parse(j['joined'] as String),
      muted: j['muted'] == null ? null : j['muted'] as bool,
      warden: j['warden'] == null ? null : j['warden'] as bool,
      pinned: j['pinned'] == null ? null : j['pinned'] as String,);

  Json toJson() => {
        'handle': handle,
        'name': name,
        if (about != null) 'about': about!,
        if (portrait != null) 'portrait': portrait!,
        if (joined != null) 'joined': joined!.toUtc().toIso8601String(),
        if (muted != null) 'muted': muted!,
        if (warden != null) 'warden': warden!,
        if (pinned != null) 'pinned': pinned!,
      };
}

/// What is kept for members.
class MembersKept {
  MembersKept({required this.followerCount, required this.followingCount, required this.sightingCount, required this.birdsSeen, this.mostAtOnce, required this.trusted});

  final int followerCount;
  final int followingCount;
  final int sightingCount;
  final double birdsSeen;
  final int? mostAtOnce;
  final double trusted;

  factory MembersKept.fromJson(Json j) => MembersKept(
      followerCount: j['follower_count'] == null ? 0 : (j['follower_count'] as num).toInt(),
      followingCount: j['following_count'] == null ? 0 : (j['following_count'] as num).toInt(),
      sightingCount: j['sighting_count'] == null ? 0 : (j['sighting_count'] as num).toInt(),
      birdsSeen: j['birds_seen'] == null ? 0 : (j['birds_seen'] as num).toDouble(),
      mostAtOnce: j['most_at_once'] == null ? null : (j['most_at_once'] as num).toInt(),
      trusted: j['trusted'] == null ? 0 : (j['trusted'] as num).toDouble(),);
}

/// The spot of Sightings.
class SightingsSpot {
  SightingsSpot({required this.name, this.lat, this.lon});

  final String name;
  final double? lat;
  final double? lon;

  factory SightingsSpot.fromJson(Json j) => SightingsSpot(
      name: j['name'] as String,
      lat: j['lat'] == null ? null : (j['lat'] as num).toDouble(),
      lon: j['lon'] == null ? null : (j['lon'] as num).toDouble(),);

  Json toJson() => {
        'name': name,
        if (lat != null) 'lat': lat!,
        if (lon != null) 'lon': lon!,
      };
}

/// What may be written of sightings.
class SightingsFacts {
  SightingsFacts({required this.text, this.photo, this.spot, this.species, this.birds, this.hidden, required this.author});

  final String text;
  final String? photo;
  final SightingsSpot? spot;
  final List<String>? species;
  final int? birds;
  final bool? hidden;
  final String author;

  factory SightingsFacts.fromJson(Json j) => SightingsFacts(
      text: j['text'] as String,
      photo: j['photo'] == null ? null : j['photo'] as String,
      spot: j['spot'] == null ? null : SightingsSpot.fromJson(j['spot'] as Json),
      species: j['species'] == null ? null : [for (final x in j['species'] as List) x as String],
      birds: j['birds'] == null ? null : (j['birds'] as num).toInt(),
      hidden: j['hidden'] == null ? null : j['hidden'] as bool,
      author: j['author'] as String,);

  Json toJson() => {
        'text': text,
        if (photo != null) 'photo': photo!,
        if (spot != null) 'spot': spot!.toJson(),
        if (species != null) 'species': [for (final x in species!) x],
        if (birds != null) 'birds': birds!,
        if (hidden != null) 'hidden': hidden!,
        'author': author,
      };
}

/// What byline of Sightings shows.
class SightingsByline {
  SightingsByline({this.handle, this.name, this.portrait});

  final String? handle;
  final String? name;
  final String? portrait;

  factory SightingsByline.fromJson(Json j) => SightingsByline(
      handle: j['handle'] == null ? null : j['handle'] as String,
      name: j['name'] == null ? null : j['name'] as String,
      portrait: j['portrait'] == null ? null : j['portrait'] as String,);
}

/// What byline of SightingsLastRemarks shows.
class SightingsLastRemarksByline {
  SightingsLastRemarksByline({this.handle, this.name, this.portrait});

  final String? handle;
  final String? name;
  final String? portrait;

  factory SightingsLastRemarksByline.fromJson(Json j) => SightingsLastRemarksByline(
      handle: j['handle'] == null ? null : j['handle'] as String,
      name: j['name'] == null ? null : j['name'] as String,
      portrait: j['portrait'] == null ? null : j['portrait'] as String,);
}

/// What last_remarks of Sightings shows.
class SightingsLastRemarks {
  SightingsLastRemarks({required this.id, required this.path, this.text, this.byline});

  final String id;
  final String path;
  final String? text;
  final SightingsLastRemarksByline? byline;

  factory SightingsLastRemarks.fromJson(Json j) => SightingsLastRemarks(
      id: j['id'] as String,
      path: j['path'] as String,
      text: j['text'] == null ? null : j['text'] as String,
      byline: j['byline'] == null ? null : SightingsLastRemarksByline.fromJson(j['byline'] as Json),);
}

/// What is kept for sightings.
class SightingsKept {
  SightingsKept({this.byline, required this.remarkCount, required this.likeCount, required this.savedCount, required this.agreement, required this.doubtCount, required this.lastRemarks});

  final SightingsByline? byline;
  final int remarkCount;
  final int likeCount;
  final int savedCount;
  final double agreement;
  final int doubtCount;
  final List<SightingsLastRemarks> lastRemarks;

  factory SightingsKept.fromJson(Json j) => SightingsKept(
      byline: j['byline'] == null ? null : SightingsByline.fromJson(j['byline'] as Json),
      remarkCount: j['remark_count'] == null ? 0 : (j['remark_count'] as num).toInt(),
      likeCount: j['like_count'] == null ? 0 : (j['like_count'] as num).toInt(),
      savedCount: j['saved_count'] == null ? 0 : (j['saved_count'] as num).toInt(),
      agreement: j['agreement'] == null ? 0 : (j['agreement'] as num).toDouble(),
      doubtCount: j['doubt_count'] == null ? 0 : (j['doubt_count'] as num).toInt(),
      lastRemarks: j['last_remarks'] == null ? const [] : [for (final x in j['last_remarks'] as List) SightingsLastRemarks.fromJson(x as Json)],);
}

/// What may be written of remarks.
class RemarksFacts {
  RemarksFacts({required this.text, required this.author});

  final String text;
  final String author;

  factory RemarksFacts.fromJson(Json j) => RemarksFacts(
      text: j['text'] as String,
      author: j['author'] as String,);

  Json toJson() => {
        'text': text,
        'author': author,
      };
}

/// What byline of Remarks shows.
class RemarksByline {
  RemarksByline({this.handle, this.name, this.portrait});

  final String? handle;
  final String? name;
  final String? portrait;

  factory RemarksByline.fromJson(Json j) => RemarksByline(
      handle: j['handle'] == null ? null : j['handle'] as String,
      name: j['name'] == null ? null : j['name'] as String,
      portrait: j['portrait'] == null ? null : j['portrait'] as String,);
}

/// What is kept for remarks.
class RemarksKept {
  RemarksKept({this.byline});

  final RemarksByline? byline;

  factory RemarksKept.fromJson(Json j) => RemarksKept(
      byline: j['byline'] == null ? null : RemarksByline.fromJson(j['byline'] as Json),);
}

/// The facts of a verdict.
class VerdictPair {
  VerdictPair({required this.value});

  final int value;

  factory VerdictPair.fromJson(Json j) => VerdictPair(
      value: (j['value'] as num).toInt(),);

  Json toJson() => {
        'value': value,
      };
}

/// The facts that an entry of home carries.
class HomeEntryFacts {
  HomeEntryFacts({required this.text, this.photo, this.spot});

  final String text;
  final String? photo;
  final SightingsSpot? spot;

  factory HomeEntryFacts.fromJson(Json j) => HomeEntryFacts(
      text: j['text'] as String,
      photo: j['photo'] == null ? null : j['photo'] as String,
      spot: j['spot'] == null ? null : SightingsSpot.fromJson(j['spot'] as Json),);

  Json toJson() => {
        'text': text,
        if (photo != null) 'photo': photo!,
        if (spot != null) 'spot': spot!.toJson(),
      };
}

/// The kept values that an entry of home carries.
class HomeEntryKept {
  HomeEntryKept({this.byline, required this.likeCount, required this.remarkCount, required this.agreement});

  final SightingsByline? byline;
  final int likeCount;
  final int remarkCount;
  final double agreement;

  factory HomeEntryKept.fromJson(Json j) => HomeEntryKept(
      byline: j['byline'] == null ? null : SightingsByline.fromJson(j['byline'] as Json),
      likeCount: j['like_count'] == null ? 0 : (j['like_count'] as num).toInt(),
      remarkCount: j['remark_count'] == null ? 0 : (j['remark_count'] as num).toInt(),
      agreement: j['agreement'] == null ? 0 : (j['agreement'] as num).toDouble(),);
}

/// One of members.
typedef Members = Document<MembersFacts, MembersKept>;
/// One of sightings.
typedef Sightings = Document<SightingsFacts, SightingsKept>;
/// One of remarks.
typedef Remarks = Document<RemarksFacts, RemarksKept>;
/// An entry of the timeline home.
typedef HomeEntry = Entry<HomeEntryFacts, HomeEntryKept>;
