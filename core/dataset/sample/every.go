package sample

// EverySchema makes tables with what is hard about each kind of field, for tests that ask PostgreSQL.
const EverySchema = `
create type state as enum ('open', 'done');
create table owner (id int primary key, name text not null, town text);
create table yard (id int primary key, name text not null, region text, owner_id int references owner);
create table job (id int primary key, kind text, code char(4), cost numeric(9,2), rough float8, lat float8, long float8, tags text[], note jsonb, said text, due date, at timestamptz, state state, yard_id int references yard, boss_id int);
create table part (id int primary key, job_id int references job, title text, price numeric, fitted date, broken boolean not null, maker_id int references owner);
insert into owner values (1, 'Orla', 'Pell'), (2, 'Bram', null);
insert into yard values (1, 'Tarn Quay', 'north', 1), (2, 'Ostrey', 'south', 2), (3, 'Bare', null, null);
insert into job values
	(1, 'care', 'ab', 10, 1.5, 54.5, -3.25, '{wet,wet,late}', '{"lift": {"load": "3.50", "crew": ["Ann", "Ben"]}, "size": 7}', '1,240.50', '2026-03-01', '2026-03-01 10:00+00', 'open', 1, 1),
	(2, 'rework', 'cd', 25, 'NaN', 91, 0, '{}', '{"lift": {"crew": "Ann"}}', 'soon', 'infinity', null, 'done', 2, 9),
	(3, null, null, null, null, null, 2, null, null, ' ', null, '2026-03-02 10:00+00', null, 3, null),
	(4, 'mishap', 'ef', -5, 'Infinity', 10, 181, array[null]::text[], '{"lift": null}', null, '0044-03-15 BC', 'infinity', 'open', null, 2);
insert into part values (1, 1, 'bolt', 2.50, '2026-01-01', false, 1), (2, 1, 'nut', 'NaN', '2026-01-03', false, 2), (3, 1, 'bolt', 1.25, null, true, null), (4, 2, 'sail', 100, '2026-01-02', true, 1), (5, null, 'lost', 7, '2026-01-02', false, 1);`

// EveryField is what is particular in the document of a dataset over them: a field of every kind.
const EveryField = `"from":{"table":"job"},"key":["id"],"open_record":"/jobs/{id}","fields":[
	{"name":"kind","column":"kind"},{"name":"code","column":"code"},{"name":"cost","column":"cost"},{"name":"rough","column":"rough"},{"name":"due","column":"due","time":"planned"},{"name":"at","column":"at"},{"name":"state","column":"state"},
	{"name":"yard","link":["yard_id"],"show":"name"},{"name":"region","link":["yard_id"],"column":"region"},{"name":"owner","link":["yard_id","owner_id"],"show":"name"},{"name":"town","link":["yard_id","owner_id"],"column":"town"},
	{"name":"place","position":["lat","long"]},{"name":"tags","column":"tags","several":true},{"name":"crew","column":"note","inside":["lift","crew"],"several":true},{"name":"load","column":"note","inside":["lift","load"],"read_as":{"type":"number","like":"1234.50"}},{"name":"size","column":"note","inside":["size"]},
	{"name":"said","column":"said","read_as":{"type":"number","like":"1,234.50"}},{"name":"twice","formula":"cost * 2"},
	{"name":"sort","groups":{"of":"kind","groups":[{"name":"planned","values":["care"]},{"name":"not planned","values":["rework","mishap"]}],"rest":"else"}},{"name":"sort2","groups":{"of":"kind","groups":[{"name":"planned","values":["care"]}]}},
	{"name":"band","bins":{"of":"cost","width":"10"}},{"name":"band2","bins":{"of":"cost","width":"10","start":"0","count":2}},{"name":"band3","bins":{"of":"said","width":"1000"}},
	{"name":"parts","linked":{"table":"part","by":"job_id","take":"count"}},{"name":"whole","linked":{"table":"part","by":"job_id","take":"count","where":{"field":"broken","is":false}}},{"name":"any","linked":{"table":"part","by":"job_id","take":"any","where":{"field":"title","is":"sail"}}},
	{"name":"worth","linked":{"table":"part","by":"job_id","take":"sum","column":"price"}},{"name":"least","linked":{"table":"part","by":"job_id","take":"smallest","column":"price"}},{"name":"most","linked":{"table":"part","by":"job_id","take":"largest","column":"price"}},
	{"name":"newest","linked":{"table":"part","by":"job_id","take":"latest","column":"title","order":"fitted"}},{"name":"oldest","linked":{"table":"part","by":"job_id","take":"earliest","column":"title","order":"fitted"}},
	{"name":"titles","linked":{"table":"part","by":"job_id","take":"each","column":"title"}},{"name":"makers","linked":{"table":"part","by":"job_id","take":"each","formula":"\"maker_id.name\"","when":"not broken"}},
	{"name":"of_yard","linked":{"table":"yard","by":"owner_id","of":["yard_id","owner_id"],"take":"count"}}]`
