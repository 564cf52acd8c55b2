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

/// A page of documents; [next] is the cursor of the following one.
class Page<D> {
  Page(this.documents, this.next);

  final List<D> documents;
  final String? next;
}

/// A page of a timeline.
class Entries<E> {
  Entries(this.entries, this.next);

  final List<E> entries;
  final String? next;
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

/// The facts that everyone of EveryoneScreen shows.
class EveryoneScreenEveryoneFacts {
  EveryoneScreenEveryoneFacts({required this.text, this.photo});

  final String text;
  final String? photo;

  factory EveryoneScreenEveryoneFacts.fromJson(Json j) => EveryoneScreenEveryoneFacts(
      text: j['text'] as String,
      photo: j['photo'] == null ? null : j['photo'] as String,);

  Json toJson() => {
        'text': text,
        if (photo != null) 'photo': photo!,
      };
}

/// The kept values that everyone of EveryoneScreen shows.
class EveryoneScreenEveryoneKept {
  EveryoneScreenEveryoneKept({this.byline, required this.remarkCount, required this.likeCount});

  final SightingsByline? byline;
  final int remarkCount;
  final int likeCount;

  factory EveryoneScreenEveryoneKept.fromJson(Json j) => EveryoneScreenEveryoneKept(
      byline: j['byline'] == null ? null : SightingsByline.fromJson(j['byline'] as Json),
      remarkCount: j['remark_count'] == null ? 0 : (j['remark_count'] as num).toInt(),
      likeCount: j['like_count'] == null ? 0 : (j['like_count'] as num).toInt(),);
}

/// The facts that followed_by of FollowersScreen shows.
class FollowersScreenFollowedByFacts {
  FollowersScreenFollowedByFacts({required this.handle, required this.name, this.portrait});

  final String handle;
  final String name;
  final String? portrait;

  factory FollowersScreenFollowedByFacts.fromJson(Json j) => FollowersScreenFollowedByFacts(
      handle: j['handle'] as String,
      name: j['name'] as String,
      portrait: j['portrait'] == null ? null : j['portrait'] as String,);

  Json toJson() => {
        'handle': handle,
        'name': name,
        if (portrait != null) 'portrait': portrait!,
      };
}

/// The kept values that followed_by of FollowersScreen shows.
class FollowersScreenFollowedByKept {
  FollowersScreenFollowedByKept();


  factory FollowersScreenFollowedByKept.fromJson(Json j) => FollowersScreenFollowedByKept();
}

/// The facts that remarks of SightingScreen shows.
class SightingScreenRemarksFacts {
  SightingScreenRemarksFacts({required this.text});

  final String text;

  factory SightingScreenRemarksFacts.fromJson(Json j) => SightingScreenRemarksFacts(
      text: j['text'] as String,);

  Json toJson() => {
        'text': text,
      };
}

/// The kept values that remarks of SightingScreen shows.
class SightingScreenRemarksKept {
  SightingScreenRemarksKept({this.byline});

  final RemarksByline? byline;

  factory SightingScreenRemarksKept.fromJson(Json j) => SightingScreenRemarksKept(
      byline: j['byline'] == null ? null : RemarksByline.fromJson(j['byline'] as Json),);
}

/// The facts that liked_this_week of LikedMostScreen shows.
class LikedMostScreenLikedThisWeekFacts {
  LikedMostScreenLikedThisWeekFacts({required this.text});

  final String text;

  factory LikedMostScreenLikedThisWeekFacts.fromJson(Json j) => LikedMostScreenLikedThisWeekFacts(
      text: j['text'] as String,);

  Json toJson() => {
        'text': text,
      };
}

/// The kept values that liked_this_week of LikedMostScreen shows.
class LikedMostScreenLikedThisWeekKept {
  LikedMostScreenLikedThisWeekKept({this.byline, required this.likeCount});

  final SightingsByline? byline;
  final int likeCount;

  factory LikedMostScreenLikedThisWeekKept.fromJson(Json j) => LikedMostScreenLikedThisWeekKept(
      byline: j['byline'] == null ? null : SightingsByline.fromJson(j['byline'] as Json),
      likeCount: j['like_count'] == null ? 0 : (j['like_count'] as num).toInt(),);
}

/// The facts that handles of FindMemberScreen shows.
class FindMemberScreenHandlesFacts {
  FindMemberScreenHandlesFacts({required this.handle, required this.name, this.portrait});

  final String handle;
  final String name;
  final String? portrait;

  factory FindMemberScreenHandlesFacts.fromJson(Json j) => FindMemberScreenHandlesFacts(
      handle: j['handle'] as String,
      name: j['name'] as String,
      portrait: j['portrait'] == null ? null : j['portrait'] as String,);

  Json toJson() => {
        'handle': handle,
        'name': name,
        if (portrait != null) 'portrait': portrait!,
      };
}

/// The kept values that handles of FindMemberScreen shows.
class FindMemberScreenHandlesKept {
  FindMemberScreenHandlesKept();


  factory FindMemberScreenHandlesKept.fromJson(Json j) => FindMemberScreenHandlesKept();
}

/// The facts that flocks of FlocksScreen shows.
class FlocksScreenFlocksFacts {
  FlocksScreenFlocksFacts({required this.text, this.species, this.birds});

  final String text;
  final List<String>? species;
  final int? birds;

  factory FlocksScreenFlocksFacts.fromJson(Json j) => FlocksScreenFlocksFacts(
      text: j['text'] as String,
      species: j['species'] == null ? null : [for (final x in j['species'] as List) x as String],
      birds: j['birds'] == null ? null : (j['birds'] as num).toInt(),);

  Json toJson() => {
        'text': text,
        if (species != null) 'species': [for (final x in species!) x],
        if (birds != null) 'birds': birds!,
      };
}

/// The kept values that flocks of FlocksScreen shows.
class FlocksScreenFlocksKept {
  FlocksScreenFlocksKept({this.byline});

  final SightingsByline? byline;

  factory FlocksScreenFlocksKept.fromJson(Json j) => FlocksScreenFlocksKept(
      byline: j['byline'] == null ? null : SightingsByline.fromJson(j['byline'] as Json),);
}

/// The facts that page of AroundMeScreen shows.
class AroundMeScreenPageFacts {
  AroundMeScreenPageFacts({required this.text});

  final String text;

  factory AroundMeScreenPageFacts.fromJson(Json j) => AroundMeScreenPageFacts(
      text: j['text'] as String,);

  Json toJson() => {
        'text': text,
      };
}

/// The kept values that page of AroundMeScreen shows.
class AroundMeScreenPageKept {
  AroundMeScreenPageKept({required this.remarkCount, required this.likeCount});

  final int remarkCount;
  final int likeCount;

  factory AroundMeScreenPageKept.fromJson(Json j) => AroundMeScreenPageKept(
      remarkCount: j['remark_count'] == null ? 0 : (j['remark_count'] as num).toInt(),
      likeCount: j['like_count'] == null ? 0 : (j['like_count'] as num).toInt(),);
}

/// The facts that blocked of AroundMeScreen shows.
class AroundMeScreenBlockedFacts {
  AroundMeScreenBlockedFacts({required this.handle, required this.name});

  final String handle;
  final String name;

  factory AroundMeScreenBlockedFacts.fromJson(Json j) => AroundMeScreenBlockedFacts(
      handle: j['handle'] as String,
      name: j['name'] as String,);

  Json toJson() => {
        'handle': handle,
        'name': name,
      };
}

/// The kept values that blocked of AroundMeScreen shows.
class AroundMeScreenBlockedKept {
  AroundMeScreenBlockedKept();


  factory AroundMeScreenBlockedKept.fromJson(Json j) => AroundMeScreenBlockedKept();
}

/// One of members.
typedef Members = Document<MembersFacts, MembersKept>;
/// One of sightings.
typedef Sightings = Document<SightingsFacts, SightingsKept>;
/// One of remarks.
typedef Remarks = Document<RemarksFacts, RemarksKept>;
/// An entry of the timeline home.
typedef HomeEntry = Entry<HomeEntryFacts, HomeEntryKept>;
/// What everyone of EveryoneScreen shows.
typedef EveryoneScreenEveryoneItem = Document<EveryoneScreenEveryoneFacts, EveryoneScreenEveryoneKept>;
/// What followed_by of FollowersScreen shows.
typedef FollowersScreenFollowedByItem = Document<FollowersScreenFollowedByFacts, FollowersScreenFollowedByKept>;
/// What remarks of SightingScreen shows.
typedef SightingScreenRemarksItem = Document<SightingScreenRemarksFacts, SightingScreenRemarksKept>;
/// What liked_this_week of LikedMostScreen shows.
typedef LikedMostScreenLikedThisWeekItem = Document<LikedMostScreenLikedThisWeekFacts, LikedMostScreenLikedThisWeekKept>;
/// What handles of FindMemberScreen shows.
typedef FindMemberScreenHandlesItem = Document<FindMemberScreenHandlesFacts, FindMemberScreenHandlesKept>;
/// What flocks of FlocksScreen shows.
typedef FlocksScreenFlocksItem = Document<FlocksScreenFlocksFacts, FlocksScreenFlocksKept>;
/// What page of AroundMeScreen shows.
typedef AroundMeScreenPageItem = Document<AroundMeScreenPageFacts, AroundMeScreenPageKept>;
/// What blocked of AroundMeScreen shows.
typedef AroundMeScreenBlockedItem = Document<AroundMeScreenBlockedFacts, AroundMeScreenBlockedKept>;

/// What the screen home shows. A part that is refused is missing. Of those that are refused, [refused] has the problems (RFC 9457).
class HomeScreen {
  HomeScreen({this.home, required this.refused});

  final Map<String, Json> refused;
  final Entries<HomeEntry>? home;

  factory HomeScreen.fromJson(Json j) {
    final parts = j['parts'] as Json;
    return HomeScreen(
      home: parts['home'] == null ? null : Entries([for (final x in (parts['home'] as Json)['entries'] as List) Entry.fromJson<HomeEntryFacts, HomeEntryKept>(x as Json, HomeEntryFacts.fromJson, HomeEntryKept.fromJson)], (parts['home'] as Json)['next'] as String?),
      refused: { ...?(j['refused'] as Json?)?.cast<String, Json>() });
  }
}

/// What the screen everyone shows. A part that is refused is missing. Of those that are refused, [refused] has the problems (RFC 9457).
class EveryoneScreen {
  EveryoneScreen({this.everyone, required this.refused});

  final Map<String, Json> refused;
  final Page<EveryoneScreenEveryoneItem>? everyone;

  factory EveryoneScreen.fromJson(Json j) {
    final parts = j['parts'] as Json;
    return EveryoneScreen(
      everyone: parts['everyone'] == null ? null : Page([for (final x in (parts['everyone'] as Json)['documents'] as List) Document.fromJson<EveryoneScreenEveryoneFacts, EveryoneScreenEveryoneKept>(x as Json, EveryoneScreenEveryoneFacts.fromJson, EveryoneScreenEveryoneKept.fromJson)], (parts['everyone'] as Json)['next'] as String?),
      refused: { ...?(j['refused'] as Json?)?.cast<String, Json>() });
  }
}

/// What the screen profile shows. A part that is refused is missing. Of those that are refused, [refused] has the problems (RFC 9457).
class ProfileScreen {
  ProfileScreen({this.member, this.sightings, required this.refused});

  final Map<String, Json> refused;
  final Members? member;
  final Page<Sightings>? sightings;

  factory ProfileScreen.fromJson(Json j) {
    final parts = j['parts'] as Json;
    return ProfileScreen(
      member: parts['member'] == null ? null : Document.fromJson<MembersFacts, MembersKept>(parts['member'] as Json, MembersFacts.fromJson, MembersKept.fromJson),
      sightings: parts['sightings'] == null ? null : Page([for (final x in (parts['sightings'] as Json)['documents'] as List) Document.fromJson<SightingsFacts, SightingsKept>(x as Json, SightingsFacts.fromJson, SightingsKept.fromJson)], (parts['sightings'] as Json)['next'] as String?),
      refused: { ...?(j['refused'] as Json?)?.cast<String, Json>() });
  }
}

/// What the screen followers shows. A part that is refused is missing. Of those that are refused, [refused] has the problems (RFC 9457).
class FollowersScreen {
  FollowersScreen({this.followedBy, required this.refused});

  final Map<String, Json> refused;
  final Page<FollowersScreenFollowedByItem>? followedBy;

  factory FollowersScreen.fromJson(Json j) {
    final parts = j['parts'] as Json;
    return FollowersScreen(
      followedBy: parts['followed_by'] == null ? null : Page([for (final x in (parts['followed_by'] as Json)['documents'] as List) Document.fromJson<FollowersScreenFollowedByFacts, FollowersScreenFollowedByKept>(x as Json, FollowersScreenFollowedByFacts.fromJson, FollowersScreenFollowedByKept.fromJson)], (parts['followed_by'] as Json)['next'] as String?),
      refused: { ...?(j['refused'] as Json?)?.cast<String, Json>() });
  }
}

/// What the screen saved shows. A part that is refused is missing. Of those that are refused, [refused] has the problems (RFC 9457).
class SavedScreen {
  SavedScreen({this.saves, required this.refused});

  final Map<String, Json> refused;
  final Page<Sightings>? saves;

  factory SavedScreen.fromJson(Json j) {
    final parts = j['parts'] as Json;
    return SavedScreen(
      saves: parts['saves'] == null ? null : Page([for (final x in (parts['saves'] as Json)['documents'] as List) Document.fromJson<SightingsFacts, SightingsKept>(x as Json, SightingsFacts.fromJson, SightingsKept.fromJson)], (parts['saves'] as Json)['next'] as String?),
      refused: { ...?(j['refused'] as Json?)?.cast<String, Json>() });
  }
}

/// What the screen sighting shows. A part that is refused is missing. Of those that are refused, [refused] has the problems (RFC 9457).
class SightingScreen {
  SightingScreen({this.sighting, this.remarks, required this.refused});

  final Map<String, Json> refused;
  final Sightings? sighting;
  final Page<SightingScreenRemarksItem>? remarks;

  factory SightingScreen.fromJson(Json j) {
    final parts = j['parts'] as Json;
    return SightingScreen(
      sighting: parts['sighting'] == null ? null : Document.fromJson<SightingsFacts, SightingsKept>(parts['sighting'] as Json, SightingsFacts.fromJson, SightingsKept.fromJson),
      remarks: parts['remarks'] == null ? null : Page([for (final x in (parts['remarks'] as Json)['documents'] as List) Document.fromJson<SightingScreenRemarksFacts, SightingScreenRemarksKept>(x as Json, SightingScreenRemarksFacts.fromJson, SightingScreenRemarksKept.fromJson)], (parts['remarks'] as Json)['next'] as String?),
      refused: { ...?(j['refused'] as Json?)?.cast<String, Json>() });
  }
}

/// What the screen liked_most shows. A part that is refused is missing. Of those that are refused, [refused] has the problems (RFC 9457).
class LikedMostScreen {
  LikedMostScreen({this.likedThisWeek, required this.refused});

  final Map<String, Json> refused;
  final Page<LikedMostScreenLikedThisWeekItem>? likedThisWeek;

  factory LikedMostScreen.fromJson(Json j) {
    final parts = j['parts'] as Json;
    return LikedMostScreen(
      likedThisWeek: parts['liked_this_week'] == null ? null : Page([for (final x in (parts['liked_this_week'] as Json)['documents'] as List) Document.fromJson<LikedMostScreenLikedThisWeekFacts, LikedMostScreenLikedThisWeekKept>(x as Json, LikedMostScreenLikedThisWeekFacts.fromJson, LikedMostScreenLikedThisWeekKept.fromJson)], (parts['liked_this_week'] as Json)['next'] as String?),
      refused: { ...?(j['refused'] as Json?)?.cast<String, Json>() });
  }
}

/// What the screen find_member shows. A part that is refused is missing. Of those that are refused, [refused] has the problems (RFC 9457).
class FindMemberScreen {
  FindMemberScreen({this.handles, required this.refused});

  final Map<String, Json> refused;
  final Page<FindMemberScreenHandlesItem>? handles;

  factory FindMemberScreen.fromJson(Json j) {
    final parts = j['parts'] as Json;
    return FindMemberScreen(
      handles: parts['handles'] == null ? null : Page([for (final x in (parts['handles'] as Json)['documents'] as List) Document.fromJson<FindMemberScreenHandlesFacts, FindMemberScreenHandlesKept>(x as Json, FindMemberScreenHandlesFacts.fromJson, FindMemberScreenHandlesKept.fromJson)], (parts['handles'] as Json)['next'] as String?),
      refused: { ...?(j['refused'] as Json?)?.cast<String, Json>() });
  }
}

/// What the screen find_sighting shows. A part that is refused is missing. Of those that are refused, [refused] has the problems (RFC 9457).
class FindSightingScreen {
  FindSightingScreen({this.mentions, required this.refused});

  final Map<String, Json> refused;
  final Page<Sightings>? mentions;

  factory FindSightingScreen.fromJson(Json j) {
    final parts = j['parts'] as Json;
    return FindSightingScreen(
      mentions: parts['mentions'] == null ? null : Page([for (final x in (parts['mentions'] as Json)['documents'] as List) Document.fromJson<SightingsFacts, SightingsKept>(x as Json, SightingsFacts.fromJson, SightingsKept.fromJson)], (parts['mentions'] as Json)['next'] as String?),
      refused: { ...?(j['refused'] as Json?)?.cast<String, Json>() });
  }
}

/// What the screen flocks shows. A part that is refused is missing. Of those that are refused, [refused] has the problems (RFC 9457).
class FlocksScreen {
  FlocksScreen({this.flocks, required this.refused});

  final Map<String, Json> refused;
  final Page<FlocksScreenFlocksItem>? flocks;

  factory FlocksScreen.fromJson(Json j) {
    final parts = j['parts'] as Json;
    return FlocksScreen(
      flocks: parts['flocks'] == null ? null : Page([for (final x in (parts['flocks'] as Json)['documents'] as List) Document.fromJson<FlocksScreenFlocksFacts, FlocksScreenFlocksKept>(x as Json, FlocksScreenFlocksFacts.fromJson, FlocksScreenFlocksKept.fromJson)], (parts['flocks'] as Json)['next'] as String?),
      refused: { ...?(j['refused'] as Json?)?.cast<String, Json>() });
  }
}

/// What the screen around_me shows. A part that is refused is missing. Of those that are refused, [refused] has the problems (RFC 9457).
class AroundMeScreen {
  AroundMeScreen({this.me, this.page, this.blocked, required this.refused});

  final Map<String, Json> refused;
  final Members? me;
  final Page<AroundMeScreenPageItem>? page;
  final Page<AroundMeScreenBlockedItem>? blocked;

  factory AroundMeScreen.fromJson(Json j) {
    final parts = j['parts'] as Json;
    return AroundMeScreen(
      me: parts['me'] == null ? null : Document.fromJson<MembersFacts, MembersKept>(parts['me'] as Json, MembersFacts.fromJson, MembersKept.fromJson),
      page: parts['page'] == null ? null : Page([for (final x in (parts['page'] as Json)['documents'] as List) Document.fromJson<AroundMeScreenPageFacts, AroundMeScreenPageKept>(x as Json, AroundMeScreenPageFacts.fromJson, AroundMeScreenPageKept.fromJson)], (parts['page'] as Json)['next'] as String?),
      blocked: parts['blocked'] == null ? null : Page([for (final x in (parts['blocked'] as Json)['documents'] as List) Document.fromJson<AroundMeScreenBlockedFacts, AroundMeScreenBlockedKept>(x as Json, AroundMeScreenBlockedFacts.fromJson, AroundMeScreenBlockedKept.fromJson)], (parts['blocked'] as Json)['next'] as String?),
      refused: { ...?(j['refused'] as Json?)?.cast<String, Json>() });
  }
}
